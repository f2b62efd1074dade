import { usePicking } from '../../state/picking'
import ColoursFields from '../ColoursFields.vue'
import type { PartCard } from './card'

export default {
  kind: 'colours',
  label: 'Colours',
  order: 4,
  title: 'Pick a colour: what both cover is kept',
  more: 'A range of colours, picked on the picture',
  fields: ColoursFields,
  begin: (into) => usePicking().take(true, { into }),
} satisfies PartCard
