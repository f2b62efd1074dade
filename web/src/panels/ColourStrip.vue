<script setup lang="ts">
// How often values are in the picture, with the limits of a range over it; the limits are dragged there.
import { computed, ref } from 'vue'

const props = defineProps<{
  label: string
  bins: number[] // the most frequent one is 1
  low: number
  high: number
  soft: number
  end: number // values go from 0 to it
  around?: boolean // and begin anew there
}>()
const emit = defineEmits<{ drag: [low: number, high: number, meant: boolean] }>()
const WIDE = 288
const TALL = 34
const box = ref<SVGSVGElement>()
const scale = computed(() => WIDE / props.end)
const bars = computed(() =>
  props.bins.map((share, i) => ({
    x: (i * WIDE) / props.bins.length,
    tall: Math.sqrt(share) * (TALL - 2), // small shares are to be seen, too
  })),
)
/** The range as a shape with sloping shoulders; one that goes round the end is drawn at both ends. */
const shapes = computed(() => {
  const turns = props.around ? [-props.end, 0, props.end] : [0]
  return turns.map((turn) => {
    const at = (value: number) => ((value + turn) * scale.value).toFixed(1)
    return `M${at(props.low - props.soft)} ${TALL}L${at(props.low)} 1L${at(props.high)} 1L${at(props.high + props.soft)} ${TALL}`
  })
})
const colourOf = (i: number) =>
  props.label === 'Hue' ? `oklch(0.7 0.13 ${(360 * (i + 0.5)) / props.bins.length})` : 'var(--soft)'

function press(event: PointerEvent) {
  const strip = box.value
  if (!strip || event.button !== 0) return
  strip.setPointerCapture(event.pointerId)
  const frame = strip.getBoundingClientRect()
  const valueOf = (one: PointerEvent) => ((one.clientX - frame.left) / frame.width) * props.end
  const start = valueOf(event)
  const [low, high] = [props.low, props.high]
  const whole = props.around || (start > low + (high - low) / 3 && start < high - (high - low) / 3)
  const lower = !whole && Math.abs(start - low) < Math.abs(start - high)
  const to = (one: PointerEvent): [number, number] => {
    const by = valueOf(one) - start
    if (props.around) return [low + by, high + by]
    const kept = (value: number) => Math.round(Math.min(Math.max(value, 0), props.end) * 10) / 10
    if (whole) {
      const shift = Math.min(Math.max(by, -low), props.end - high)
      return [kept(low + shift), kept(high + shift)]
    }
    return lower ? [Math.min(kept(low + by), high), high] : [low, Math.max(kept(high + by), low)]
  }
  const move = (one: PointerEvent) => emit('drag', ...to(one), false)
  strip.addEventListener('pointermove', move)
  strip.addEventListener(
    'pointerup',
    (one) => {
      strip.removeEventListener('pointermove', move)
      emit('drag', ...to(one), true)
    },
    { once: true },
  )
}
</script>

<template>
  <svg
    ref="box"
    class="strip"
    :viewBox="`0 0 ${WIDE} ${TALL}`"
    preserveAspectRatio="none"
    role="img"
    :aria-label="`${label} of the picture, and the range`"
    @pointerdown="press"
  >
    <rect
      v-for="(bar, i) in bars"
      :key="i"
      :x="bar.x"
      :y="TALL - bar.tall"
      :width="WIDE / bins.length - 0.6"
      :height="bar.tall"
      :fill="colourOf(i)"
    />
    <path v-for="(shape, i) in shapes" :key="`r${i}`" :d="shape" class="range" />
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  height: 34px;
  background: var(--field);
  border: 1px solid var(--line);
  cursor: ew-resize;
  touch-action: none;
  display: block;
}
.range {
  fill: none;
  stroke: var(--text);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
</style>
