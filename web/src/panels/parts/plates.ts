import { useFound } from '../../state/found'
import LetteringFields from '../LetteringFields.vue'
import type { PartCard } from './card'

export default {
  kind: 'plates',
  label: 'Plates',
  order: 6,
  more: 'Number plates, each as a whole',
  fields: LetteringFields,
  begin: (region) => useFound().begin('plates', region, region === null),
} satisfies PartCard
