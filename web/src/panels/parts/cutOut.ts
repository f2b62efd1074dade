import { useCutting } from '../../state/cutting'
import CutOutFields from '../CutOutFields.vue'
import type { PartCard } from './card'

export default {
  kind: 'cut-out',
  label: 'Cut-out',
  order: 1,
  fields: CutOutFields,
  begin: (into) => useCutting().take(true, { into }),
} satisfies PartCard
