// What can be measured of a movement, in the words of the card.
import type { Model } from '../api/types'

export const MODELS: { value: Model; label: string }[] = [
  { value: 'position', label: 'Position' },
  { value: 'similarity', label: 'Position, scale, rotation' },
  { value: 'affine', label: 'Affine: with shear' },
  { value: 'perspective', label: 'Perspective: flat things' },
]
