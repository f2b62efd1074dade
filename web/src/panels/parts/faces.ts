import { useFound } from '../../state/found'
import FacesFields from '../FacesFields.vue'
import type { PartCard } from './card'

export default {
  kind: 'faces',
  label: 'Faces',
  order: 2,
  fields: FacesFields,
  begin: (region) => useFound().begin('faces', region, region === null),
} satisfies PartCard
