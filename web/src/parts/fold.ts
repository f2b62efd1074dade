// The heading under which something stands on a card.
import type { InjectionKey } from 'vue'

export const FOLD: InjectionKey<string> = Symbol('fold')
