// Between the screen and the pixels of the clip.
import { inject, type ComputedRef, type InjectionKey } from 'vue'
import type { Point } from './mapping'

export interface Space {
  /** Source pixels that measure one screen pixel. */
  pixel: ComputedRef<number>
  sourcePoint: (event: PointerEvent | MouseEvent) => Point
}
export const SPACE: InjectionKey<Space> = Symbol('space')

export function useSpace(): Space {
  const space = inject(SPACE)
  if (!space) throw new Error('Handles are drawn over a picture only.')
  return space
}
