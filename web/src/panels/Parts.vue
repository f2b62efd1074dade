<script setup lang="ts">
// What the region consists of, one part after the other, and the numbers of the selected one.
import { NButton, NCheckbox, NDropdown, NRadioButton, NRadioGroup, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Ease, How, Keyed, Kind, Part, Pose } from '../api/types'
import NameField from '../parts/NameField.vue'
import NumberField from '../parts/NumberField.vue'
import { SHAPES } from '../parts/shapes'
import { useCommands } from '../state/commands'
import { useLanes } from '../state/lanes'
import { useSelection } from '../state/selection'
import { useSession } from '../state/session'
import { useTool } from '../state/tool'
import { useClip } from '../state/clip'
import { useCutting } from '../state/cutting'
import { easeAt, isShape, keyedFrames, ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { carry, inverse } from '../viewer/geometry'
import { useFound } from '../state/found'
import { usePicking } from '../state/picking'
import { useShelf } from '../state/shelf'
import { scaled, sharp, smooth } from '../viewer/PathPoints.vue'
import ColoursFields from './ColoursFields.vue'
import CutOutFields from './CutOutFields.vue'
import FacesFields from './FacesFields.vue'
import LetteringFields from './LetteringFields.vue'
import Fold from './Fold.vue'

const session = useSession()
const selection = useSelection()
const lanes = useLanes()
const tools = useTool()
const commands = useCommands()
const clip = useClip()
const cutting = useCutting()
const found = useFound()
const picking = usePicking()
const shelf = useShelf()
const films = computed(() => {
  const clips = shelf.media.filter(
    (one) => one.state === 'ready' && one.kind !== 'table' && one.id !== selection.medium?.id,
  )
  return clips.length
    ? clips.map((one) => ({ key: one.id, label: one.name }))
    : [{ key: '', label: NO_FILMS, disabled: true }]
})
const region = computed(() => selection.region!)
const part = computed(() => selection.shape)
// What is seen on the frame, carried by the motion; that is what people want to read and type.
const seen = computed(() => part.value && carry(lanes.poseOf(part.value), lanes.carrierOf(part.value.rides_on)))
const keyed = computed(() => (part.value ? keyedFrames(part.value) : []))
const setHere = computed(() => keyed.value.includes(lanes.sourceFrame))

// `times` is how many of the document's units the shown number measures: radii are shown as full sizes.
const NUMBERS: { name: keyof Pose; label: string; unit: string; low?: number; high?: number; times: number }[] = [
  { name: 'x', label: 'Centre x', unit: 'px', times: 1 },
  { name: 'y', label: 'Centre y', unit: 'px', times: 1 },
  { name: 'rx', label: 'Width', unit: 'px', low: 1, times: 2 },
  { name: 'ry', label: 'Height', unit: 'px', low: 1, times: 2 },
  { name: 'rotation', label: 'Rotation', unit: '°', times: 1 },
  { name: 'shear', label: 'Shear', unit: '°', low: -80, high: 80, times: 1 },
]
const numbers = computed(() =>
  part.value?.kind === 'horizon' ? NUMBERS.filter((one) => ['x', 'y', 'rotation'].includes(one.name)) : NUMBERS,
)
const NO_FILMS = 'Put the grey clip on the shelf first'
const HOW: { value: How; label: string; sign: string }[] = [
  { value: 'add', label: 'adds', sign: '+' },
  { value: 'subtract', label: 'takes away', sign: '−' },
  { value: 'intersect', label: 'keeps what both cover', sign: '×' },
]
const EASES: { value: Ease; label: string }[] = [
  { value: 'linear', label: 'then evenly' },
  { value: 'smooth', label: 'then smoothly' },
  { value: 'hold', label: 'then held' },
]

/** A shape stays within reach of the picture: its middle on it or as far again beside it, at most four times as large. */
function limits(one: { name: keyof Pose; low?: number; high?: number }): { low?: number; high?: number } {
  const [width, height] = [selection.medium?.width ?? 1920, selection.medium?.height ?? 1080]
  const side = one.name === 'x' || one.name === 'rx' ? width : height
  if (one.name === 'x' || one.name === 'y') return { low: -side, high: 2 * side }
  if (one.name === 'rx' || one.name === 'ry') return { low: one.low, high: 4 * side }
  return one
}

function put(name: keyof Pose, value: number, meant: boolean) {
  if (!part.value || !seen.value) return
  const own = carry({ ...seen.value, [name]: value }, inverse(lanes.carrierOf(part.value.rides_on)))
  if (meant) commands.place(part.value, own, 'Change shape')
  else commands.tryOut(part.value, { pose: own })
}

type Values = Record<'opacity' | 'rounding', Keyed | number | undefined>

function number(which: keyof Values, label: string, value: number, meant: boolean) {
  const at = lanes.sourceFrame
  const set = (one: Values) => (one[which] = withValue(one[which] ?? 0, at, value))
  commands.editPart(label, (one) => set(one as unknown as Values), meant)
}

function tick(which: keyof Values) {
  const at = lanes.sourceFrame
  const set = (one: Values) => (one[which] = ticked(one[which] ?? 0, at))
  commands.editPart('Set by hand', (one) => set(one as unknown as Values))
}

function move(which: string, by: -1 | 1) {
  void commands.editRegion('Reorder shapes', (one) => {
    const from = one.parts.findIndex((each) => each.id === which)
    const to = from + by
    if (from < 0 || to < 0 || to >= one.parts.length) return
    one.parts.splice(to, 0, ...one.parts.splice(from, 1))
  })
}

function ease(to: Ease) {
  const id = part.value?.id
  if (id) void commands.change((shot, frame) => ({ do: 'ease keys', shot, part: id, frame, ease: to }))
}

const menuOf = (one: Part) => [
  { key: 'up', label: 'Earlier' },
  { key: 'down', label: 'Later' },
  { key: 'duplicate', label: 'Duplicate' },
  { key: 'copy', label: 'Copy (Ctrl+C)' },
  { key: 'paste', label: 'Paste after it (Ctrl+V)', disabled: !clip.held },
  ...(!isShape(one) ? [] : [{ key: 'svg', label: 'Save as SVG' }]),
  { key: 'remove', label: 'Remove' },
]

function act(key: string, one: Part) {
  const run: Record<string, () => void> = {
    up: () => move(one.id, -1),
    down: () => move(one.id, 1),
    duplicate: () => void commands.addShape(structuredClone(one), region.value.id),
    copy: () => clip.copy(one),
    paste: () => void clip.paste(),
    svg: () => window.open(`/api/projects/${session.id}/shapes/${selection.shot?.id}/${one.id}.svg`, '_self'),
    remove: () => void commands.change((shot) => ({ do: 'remove part', shot, part: one.id })),
  }
  run[key]?.()
}

function points(change: typeof sharp) {
  if (!part.value) return
  commands.reshape(part.value, change(lanes.pointsOf(part.value) ?? [], selection.points))
}

function cutOut() {
  cutting.take(true, { into: region.value.id })
}

/** Take the matte that a grey clip of the shelf shows. */
function bring(id: string) {
  const medium = { id, name: shelf.medium(id)?.name ?? 'Clip' }
  void commands.change((shot) => ({ do: 'bring matte', shot, region: region.value.id, medium, how: 'add' }))
}

function draw(kind: Kind) {
  tools.take({ draw: kind, into: region.value.id })
}
</script>

<template>
  <Fold title="What" :note="region.parts.length === 1 ? selection.part?.name : `${region.parts.length} parts`">
    <ul class="parts">
      <li v-for="(one, index) in region.parts" :key="one.id" :class="{ selected: one.id === selection.part?.id }">
        <NSelect
          size="tiny"
          class="how"
          :value="one.how"
          :options="HOW"
          :consistent-menu-width="false"
          :aria-label="`How ${one.name} combines`"
          :title="index ? 'How it combines with what is above' : 'How it begins'"
          :render-tag="({ option }) => String(option.sign)"
          @update:value="(to: How) => commands.editPart(`${one.name} ${to}s`, (each) => (each.how = to), true, one.id)"
        />
        <NameField
          class="name"
          :label="`Name of shape ${index + 1}`"
          :value="one.name"
          @focusin="selection.select(region.id, one.id)"
          @set="(name: string) => commands.editPart('Rename shape', (each) => (each.name = name), true, one.id)"
        />
        <NDropdown trigger="click" size="small" :options="menuOf(one)" @select="(key: string) => act(key, one)">
          <button class="plainbutton" type="button" :aria-label="`More for ${one.name}`">more</button>
        </NDropdown>
      </li>
    </ul>
    <div class="add">
      <span class="soft">One more:</span>
      <NButton
        v-for="kind in SHAPES"
        :key="kind.kind"
        size="tiny"
        dashed
        :aria-label="`One more shape: ${kind.label}`"
        @click="draw(kind.kind)"
        >{{ kind.label }}</NButton
      >
      <NButton size="tiny" dashed aria-label="One more part: Cut-out" @click="cutOut">Cut-out</NButton>
      <NButton size="tiny" dashed aria-label="One more part: Faces" @click="found.begin('faces', region.id, false)"
        >Faces</NButton
      >
      <NButton
        size="tiny"
        dashed
        aria-label="One more part: Lettering"
        @click="found.begin('lettering', region.id, false)"
        >Lettering</NButton
      >
      <NButton
        size="tiny"
        dashed
        title="Pick a colour: what both cover is kept"
        aria-label="One more part: Colours"
        @click="picking.take(true, { into: region.id })"
        >Colours</NButton
      >
      <NDropdown trigger="click" size="small" :options="films" @select="bring">
        <NButton
          size="tiny"
          dashed
          title="White of a grey clip is what it covers"
          aria-label="One more part: Matte from a clip"
          >Matte</NButton
        >
      </NDropdown>
    </div>
    <CutOutFields v-if="selection.cutOut" />
    <FacesFields v-else-if="found.faces" />
    <LetteringFields v-else-if="found.lettering" />
    <ColoursFields v-else-if="picking.colours" />
    <div v-if="part && seen" class="numbers">
      <NumberField
        v-for="one in numbers"
        :key="one.name"
        :label="one.label"
        :value="seen[one.name] * one.times"
        :unit="one.unit"
        :low="limits(one).low"
        :high="limits(one).high"
        :digits="1"
        :reset="one.name === 'rotation' || one.name === 'shear' ? 0 : undefined"
        @trying="put(one.name, $event / one.times, false)"
        @set="put(one.name, $event / one.times, true)"
      />
      <NumberField
        label="Opacity"
        unit="%"
        :value="valueAt(part.opacity, lanes.sourceFrame) * 100"
        :low="0"
        :high="100"
        :reset="100"
        :tick="tickOf(part.opacity, lanes.sourceFrame)"
        @tick="tick('opacity')"
        @trying="number('opacity', 'Change opacity', $event / 100, false)"
        @set="number('opacity', 'Change opacity', $event / 100, true)"
      />
      <NumberField
        v-if="part.kind === 'rectangle'"
        label="Rounding"
        unit="px"
        :value="valueAt(part.rounding, lanes.sourceFrame)"
        :low="0"
        :high="2000"
        :reset="0"
        :tick="tickOf(part.rounding, lanes.sourceFrame)"
        @tick="tick('rounding')"
        @trying="number('rounding', 'Round corners', $event, false)"
        @set="number('rounding', 'Round corners', $event, true)"
      />
      <NCheckbox
        size="small"
        :checked="part.invert"
        @update:checked="
          (on: boolean) => commands.editPart(on ? 'Invert shape' : 'Do not invert', (one) => (one.invert = on))
        "
        >Invert</NCheckbox
      >
      <NRadioGroup
        v-if="part.rides_on"
        size="small"
        class="reach"
        :value="commands.everywhere"
        aria-label="Where place and size change"
        @update:value="(to: boolean) => (commands.everywhere = to)"
      >
        <NRadioButton :value="false" title="Place and size change on this frame; between such frames it blends"
          >Here</NRadioButton
        >
        <NRadioButton :value="true" title="Place and size change by as much on every frame">Everywhere</NRadioButton>
      </NRadioGroup>
    </div>
    <div v-if="part?.kind === 'path' && selection.points.length" class="add">
      <span class="soft">{{ selection.points.length }} {{ selection.points.length === 1 ? 'point' : 'points' }}:</span>
      <NButton size="tiny" title="Corner (C)" @click="points(sharp)">Corner</NButton>
      <NButton size="tiny" title="Curve (V)" @click="points(smooth)">Curve</NButton>
      <NButton size="tiny" @click="points((all, which) => scaled(all, which, 0.75))">Tighter</NButton>
      <NButton size="tiny" @click="points((all, which) => scaled(all, which, 1.33))">Rounder</NButton>
      <NButton
        size="tiny"
        title="Remove points (Delete)"
        @click="
          commands.change((shot) => ({ do: 'remove point', shot, part: part!.id, points: [...selection.points] }))
        "
        >Remove</NButton
      >
    </div>
    <div v-if="part && setHere" class="set">
      <span class="soft">Set by hand here,</span>
      <NSelect
        size="tiny"
        class="ease"
        :value="easeAt(part, lanes.sourceFrame)"
        :options="EASES"
        aria-label="How it goes on from here"
        @update:value="ease"
      />
      <button
        v-if="keyed.length > 1"
        class="plainbutton"
        type="button"
        title="Take back what was set by hand on this frame (X)"
        @click="
          commands.change((shot, frame) => ({ do: 'clear keys', shot, part: part!.id, first: frame, last: frame }))
        "
      >
        Take back
      </button>
    </div>
  </Fold>
</template>

<style scoped>
.parts {
  display: grid;
  gap: 2px;
  max-height: 116px;
  overflow: auto;
}
.parts li {
  display: flex;
  align-items: center;
  gap: 4px;
  border-left: 3px solid transparent;
  padding-left: 4px;
}
.parts li.selected {
  border-left-color: var(--accent);
  background: var(--raised);
}
.how {
  width: 48px;
  flex: none;
}
.name {
  flex: 1;
}
.add {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px;
  font-size: 12px;
}
.set {
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: 12px;
  min-height: 24px;
}
.reach {
  grid-column: 1 / -1;
}
.ease {
  width: 116px;
}
</style>
