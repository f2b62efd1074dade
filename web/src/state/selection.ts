// Where the playhead is, and what is selected there.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import type { CutOut, Item, Motion, Part, Region, Shape, Shot } from '../api/types'
import { isShape } from './numbers'
import { useSession } from './session'
import { useShelf } from './shelf'
import { itemsOf, shotsOf } from './shots'

export const useSelection = defineStore('selection', () => {
  const session = useSession()
  const shelf = useShelf()
  const frame = ref(0)
  const regionId = ref<string | null>(null)
  const partId = ref<string | null>(null)
  const itemId = ref<string | null>(null) // chosen on the layers
  const motionId = ref<string | null>(null) // whose card is shown instead of the region's
  const points = ref<number[]>([]) // of the selected path
  const keyInHand = ref<number | null>(null)

  // The shot that is worked on: the one chosen on the layers, else the uppermost one here.
  const span = computed(() => {
    const here = (session.state?.spans ?? []).filter(
      (one) => one.start <= frame.value && frame.value < one.start + one.length,
    )
    return here.find((one) => one.shot === itemId.value) ?? here[here.length - 1]
  })
  const item = computed<Item | null>(() => itemsOf(session.document).find((one) => one.id === itemId.value) ?? null)
  const shot = computed<Shot | null>(() => {
    const wanted = span.value?.shot
    return shotsOf(session.document).find((one) => one.id === wanted) ?? null
  })
  const region = computed<Region | null>(() => shot.value?.regions.find((one) => one.id === regionId.value) ?? null)
  const part = computed<Part | null>(
    () => region.value?.parts.find((one) => one.id === partId.value) ?? region.value?.parts[0] ?? null,
  )
  const shape = computed<Shape | null>(() => (part.value && isShape(part.value) ? part.value : null))
  const cutOut = computed<CutOut | null>(() => (part.value?.kind === 'cut-out' ? part.value : null))
  const motion = computed<Motion | null>(() => shot.value?.motions.find((one) => one.id === motionId.value) ?? null)
  const medium = computed(() => (shot.value ? shelf.medium(shot.value.medium) : undefined))

  watch(
    () => session.id,
    () => {
      frame.value = 0
      regionId.value = partId.value = itemId.value = motionId.value = keyInHand.value = null
    },
    { flush: 'sync' },
  )
  watch(
    () => session.state,
    (state) => {
      if (state && frame.value >= state.frames) frame.value = Math.max(0, state.frames - 1)
    },
    { flush: 'sync' },
  )

  function select(which: string | null, part: string | null = null) {
    regionId.value = which
    if (part !== partId.value) points.value = []
    partId.value = part
    motionId.value = null
  }

  /** Select the part that the last edit made, and return it. */
  function selectCreated(): Part | undefined {
    for (const one of shot.value?.regions ?? []) {
      const made = one.parts.find((each) => session.created.includes(each.id))
      if (!made) continue
      select(one.id, made.id)
      return made
    }
  }

  /** The motion of the present shot that the last edit made. */
  const createdMotion = () => shot.value?.motions.find((one) => session.created.includes(one.id))

  function go(to: number) {
    frame.value = Math.min(Math.max(Math.round(to), 0), Math.max(session.frames - 1, 0))
  }

  // prettier-ignore
  return {
    frame, regionId, partId, itemId, motionId, points, keyInHand,
    span, item, shot, region, part, shape, cutOut, motion, medium,
    select, selectCreated, createdMotion, go,
  }
})
