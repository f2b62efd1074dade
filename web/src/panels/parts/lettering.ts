import { useFound } from '../../state/found'
import LetteringFields from '../LetteringFields.vue'
import type { PartCard } from './card'

export default {
  kind: 'lettering',
  label: 'Lettering',
  order: 3,
  fields: LetteringFields,
  begin: (region) => useFound().begin('lettering', region, region === null),
} satisfies PartCard
