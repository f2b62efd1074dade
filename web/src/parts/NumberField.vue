<script setup lang="ts">
// A number that is dragged, typed, stepped (arrow keys) and reset (double click on its label), with its unit.
import { computed, inject, ref, useId } from 'vue'
import { useActions } from '../state/actions'
import { FOLD } from './fold'
import TickMark, { type Tick } from './TickMark.vue'

const props = withDefaults(
  defineProps<{
    label: string
    value: number
    unit?: string
    low?: number
    high?: number
    step?: number
    digits?: number
    reset?: number
    name?: string // what it is called where the label is a letter
    before?: string // a heading over the first of several in a row
    tight?: boolean // the label above the number
    tick?: Tick // where it is given, the number can be set by hand on a frame
  }>(),
  { unit: '', low: -Infinity, high: Infinity, step: 1, digits: 0 },
)
// `trying` comes while the number is dragged, `set` when it is meant.
const emit = defineEmits<{ trying: [value: number]; set: [value: number]; tick: [] }>()

const id = useId()
// Two to a row fit only where their labels are short.
const long = computed(() => !props.tight && props.label.length + (props.tick ? 1 : 0) > 8)
const input = ref<HTMLInputElement>()
const fold = inject(FOLD, null)
// The search for a command finds it, too.
useActions().offer(() => [
  {
    says: `Set ${[fold && `${fold}:`, props.before, props.name ?? props.label].filter(Boolean).join(' ')}`,
    group: 'Change',
    does: () => input.value?.focus(),
  },
])
const typed = ref<string | null>(null)
const dragged = ref<number | null>(null)
const text = computed(() => typed.value ?? shown(dragged.value ?? props.value))

function shown(value: number) {
  return (Number(value.toFixed(props.digits)) || 0).toFixed(props.digits)
}

function kept(value: number) {
  const factor = 10 ** props.digits
  return Math.min(Math.max(Math.round(value * factor) / factor, props.low), props.high)
}

function enter() {
  if (typed.value === null) return
  const [text, value] = [typed.value.trim(), Number(typed.value.replace(',', '.'))]
  typed.value = null
  // What was emptied gets its old value back.
  if (text && Number.isFinite(value)) emit('set', kept(value))
}

function onKey(event: KeyboardEvent) {
  if (event.key === 'Enter') {
    enter()
    // The keys belong to the picture again.
    ;(event.target as HTMLInputElement).blur()
  } else if (event.key === 'Escape') {
    typed.value = null
    ;(event.target as HTMLInputElement).blur()
  } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
    event.preventDefault()
    enter()
    const by = props.step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowUp' ? 1 : -1)
    emit('set', kept(props.value + by))
  }
}

function drag(event: PointerEvent) {
  const handle = event.currentTarget as HTMLElement
  handle.setPointerCapture(event.pointerId)
  const start = event.clientX
  const from = props.value
  let moved = false
  const move = (now: PointerEvent) => {
    if (!moved && Math.abs(now.clientX - start) < 3) return
    moved = true
    const value = kept(from + (now.clientX - start) * props.step * (now.shiftKey ? 0.1 : 1))
    if (value === dragged.value) return
    dragged.value = value
    emit('trying', value)
  }
  const end = () => {
    handle.removeEventListener('pointermove', move)
    const value = dragged.value
    dragged.value = null
    if (moved && value !== null) emit('set', value)
  }
  handle.addEventListener('pointermove', move)
  handle.addEventListener('pointerup', end, { once: true })
  handle.addEventListener('pointercancel', end, { once: true })
}
</script>

<template>
  <div class="field" :class="{ tight, long }">
    <label
      :for="id"
      class="label fade"
      :title="`${name ?? label}: drag to change${reset === undefined ? '' : ', double click to reset'}`"
      @pointerdown="drag"
      @dblclick="reset !== undefined && emit('set', reset)"
      ><span v-if="before" class="before">{{ before }}</span
      >{{ label }}</label
    >
    <TickMark v-if="tick" :label="name ?? label" :tick="tick" @tick="emit('tick')" />
    <span class="box">
      <input
        :id="id"
        ref="input"
        class="number"
        :aria-label="name"
        inputmode="decimal"
        autocomplete="off"
        :value="text"
        @input="typed = ($event.target as HTMLInputElement).value"
        @focus="($event.target as HTMLInputElement).select()"
        @blur="enter"
        @keydown="onKey"
      />
      <span v-if="unit" class="unit soft">{{ unit }}</span>
    </span>
  </div>
</template>

<style scoped>
.field {
  display: flex;
  align-items: center;
  gap: 4px;
  min-width: 0;
}
.tight {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 4px;
}
.label {
  flex: 1;
  min-width: 0;
  color: var(--soft);
  cursor: ew-resize;
  touch-action: none;
  user-select: none;
}
.label:hover {
  color: var(--text);
}
.before {
  margin-right: 6px;
  color: var(--text);
}
.box {
  display: flex;
  align-items: center;
  width: 72px;
  height: 24px;
  padding: 0 4px;
  background: var(--field);
  border: 1px solid var(--control);
  border-radius: 4px;
}
.tight .box {
  grid-column: 1 / -1;
  width: 100%;
}
.box:focus-within {
  outline: 2px solid var(--accent);
  outline-offset: 0;
}
input {
  flex: 1;
  width: 100%;
  min-width: 0;
  border: 0;
  padding: 0;
  background: transparent;
  color: inherit;
  font: inherit;
  text-align: right;
  outline: none;
}
.unit {
  margin-left: 3px;
}
</style>
