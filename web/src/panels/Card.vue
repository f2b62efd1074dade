<script setup lang="ts">
// The selected region, in the order of the work: what it is, its edge, what it moves with, what is done to it.
import { NButton, NCheckbox, NProgress } from 'naive-ui'
import { computed } from 'vue'
import type { Motion, Part, Pose } from '../api/types'
import NameField from '../parts/NameField.vue'
import NumberField from '../parts/NumberField.vue'
import Swatch from '../parts/Swatch.vue'
import { lengthOf } from '../parts/words'
import { useBench } from '../state/bench'
import { valueAt, withValue } from '../state/numbers'
import { timeLeft, useWork } from '../state/work'
import Fold from './Fold.vue'
import Looks from './Looks.vue'

const bench = useBench()
const work = useWork()
const region = computed(() => bench.region)
const part = computed<Part | undefined>(() => region.value?.parts[0])
const pose = computed(() => (part.value ? bench.poseOf(part.value) : null))
const keyed = computed(() => (part.value ? (bench.poses[part.value.id]?.keyed ?? []) : []))
const setHere = computed(() => keyed.value.includes(bench.sourceFrame))
const motion = computed<Motion | undefined>(() => bench.shot?.motions.find((one) => one.id === part.value?.rides_on))
const running = computed(() => work.on(motion.value?.id))
const followed = computed(() => {
  const lane = bench.lanes?.motions.find((one) => one.motion === motion.value?.id)
  const count = lane?.followed.reduce((sum, [first, last]) => sum + last - first + 1, 0) ?? 0
  const total = bench.shot ? bench.shot.last - bench.shot.first + 1 : 0
  return `${count} of ${total} frames`
})

// `times` is how many of the document's units the shown number measures: radii are shown as full sizes.
const NUMBERS: { name: keyof Pose; label: string; unit: string; low?: number; times: number }[] = [
  { name: 'x', label: 'Centre x', unit: 'px', times: 1 },
  { name: 'y', label: 'Centre y', unit: 'px', times: 1 },
  { name: 'rx', label: 'Width', unit: 'px', low: 1, times: 2 },
  { name: 'ry', label: 'Height', unit: 'px', low: 1, times: 2 },
  { name: 'rotation', label: 'Rotation', unit: '°', times: 1 },
]
const SWITCHES = [
  { name: 'position' as const, label: 'Position' },
  { name: 'scale' as const, label: 'Scale' },
  { name: 'rotation' as const, label: 'Rotation' },
]

function rename(name: string) {
  void bench.editRegion('Rename region', (one) => {
    one.name = name
  })
}

function put(name: keyof Pose, value: number, meant: boolean) {
  if (!part.value || !pose.value) return
  const wanted = { ...pose.value, [name]: value }
  if (meant) bench.place(part.value, wanted, 'Change shape')
  else bench.tryPlace(part.value, wanted)
}

function soften(which: 'feather_in' | 'feather_out', value: number, meant: boolean) {
  const id = part.value?.id
  const at = bench.sourceFrame
  const change = (one: { parts: Part[] }) => {
    const found = one.parts.find((each) => each.id === id)
    if (found) found[which] = withValue(found[which], at, value)
  }
  if (meant) void bench.editRegion('Soften edge', change)
  else bench.tryRegion(change)
}

function switchMotion(name: 'position' | 'scale' | 'rotation', on: boolean) {
  const id = motion.value?.id
  void bench.edit(on ? `Use the followed ${name}` : `Leave out the followed ${name}`, (document) => {
    for (const layer of document.layers)
      for (const shot of layer.items) for (const one of shot.motions) if (one.id === id) one[name] = on
  })
}
</script>

<template>
  <aside class="card" aria-label="Card of what is selected">
    <template v-if="region">
      <header>
        <Swatch :colour="region.colour" />
        <NameField class="name" label="Name of the region" :value="region.name" @set="rename" />
        <button
          class="plainbutton"
          type="button"
          title="Delete the region (Delete)"
          @click="bench.removeRegion(region.id)"
        >
          Delete
        </button>
      </header>
      <Fold title="What" :note="part ? `${part.name}, frame ${bench.sourceFrame}` : 'nothing'">
        <div v-if="pose" class="numbers">
          <NumberField
            v-for="number in NUMBERS"
            :key="number.name"
            :label="number.label"
            :value="(pose[number.name] ?? 0) * number.times"
            :unit="number.unit"
            :low="number.low"
            :digits="1"
            :reset="number.name === 'rotation' ? 0 : undefined"
            @trying="put(number.name, $event / number.times, false)"
            @set="put(number.name, $event / number.times, true)"
          />
          <span class="soft set">
            <template v-if="setHere">
              Set by hand here
              <button
                v-if="part && keyed.length > 1"
                class="plainbutton"
                type="button"
                title="Take back what was set by hand on this frame (X)"
                @click="bench.clearKey(part)"
              >
                Take back
              </button>
            </template>
          </span>
        </div>
      </Fold>
      <Fold title="Edge" note="softness, in pixels of the clip">
        <div v-if="part" class="numbers">
          <NumberField
            label="Inwards"
            unit="px"
            :value="valueAt(part.feather_in, bench.sourceFrame)"
            :low="0"
            :high="400"
            :reset="12"
            @trying="soften('feather_in', $event, false)"
            @set="soften('feather_in', $event, true)"
          />
          <NumberField
            label="Outwards"
            unit="px"
            :value="valueAt(part.feather_out, bench.sourceFrame)"
            :low="0"
            :high="400"
            :reset="12"
            @trying="soften('feather_out', $event, false)"
            @set="soften('feather_out', $event, true)"
          />
        </div>
      </Fold>
      <Fold title="Moves with" :note="motion ? `followed on ${followed}` : 'nothing: it stands still'">
        <div v-if="part" class="ways">
          <NButton size="tiny" title="Follow one frame back (,)" @click="bench.follow(part, 'previous')">‹ 1</NButton>
          <NButton size="tiny" title="Follow backwards (Alt+F)" @click="bench.follow(part, 'backwards')"
            >‹ Back</NButton
          >
          <NButton
            size="tiny"
            :type="motion ? 'default' : 'primary'"
            title="Follow both ways (F)"
            @click="bench.follow(part, 'both')"
            >Follow</NButton
          >
          <NButton size="tiny" title="Follow forwards (Shift+F)" @click="bench.follow(part, 'forwards')"
            >Forwards ›</NButton
          >
          <NButton size="tiny" title="Follow one frame on (.)" @click="bench.follow(part, 'next')">1 ›</NButton>
        </div>
        <div v-if="running" class="running">
          <NProgress
            type="line"
            :height="4"
            :show-indicator="false"
            :percentage="running.total ? (100 * running.done) / running.total : 0"
            aria-label="Following"
          />
          <span class="soft number">{{ timeLeft(running) || 'starting' }}</span>
          <button class="plainbutton" type="button" @click="work.stop(running.id)">Stop</button>
        </div>
        <div v-if="motion" class="switches">
          <NCheckbox
            v-for="one in SWITCHES"
            :key="one.name"
            size="small"
            :checked="motion[one.name]"
            @update:checked="switchMotion(one.name, $event)"
            >{{ one.label }}</NCheckbox
          >
        </div>
      </Fold>
      <Looks side="inside" title="Inside looks" />
      <Looks side="outside" title="Outside looks" />
    </template>
    <div v-else class="none">
      <template v-if="bench.shot && bench.medium">
        <h3 class="fade" :title="bench.shot.name">{{ bench.shot.name }}</h3>
        <p class="soft number">
          {{ bench.medium.width }} × {{ bench.medium.height }} · {{ lengthOf(bench.medium.seconds ?? 0) }} ·
          {{ bench.medium.codec }}
        </p>
        <NCheckbox
          v-if="bench.medium.sound"
          :checked="bench.shot.sound"
          @update:checked="
            (on: boolean) => {
              const id = bench.shot?.id
              bench.edit(on ? 'Sound on' : 'Sound off', (document) => {
                for (const layer of document.layers) for (const shot of layer.items) if (shot.id === id) shot.sound = on
              })
            }
          "
          >Its sound is heard</NCheckbox
        >
      </template>
      <p v-if="bench.shot?.regions.length" class="soft">Select a region in its row or in the picture.</p>
      <ol v-else-if="bench.shot" class="soft">
        <li>Go to a frame where the face or thing is large and clear.</li>
        <li>Draw a shape over it (R).</li>
        <li>Follow it both ways (F), then look at the lane: hatched is a guess, a notch is a doubt.</li>
        <li>Choose what happens inside and outside.</li>
      </ol>
    </div>
  </aside>
</template>

<style scoped>
.card {
  background: var(--panel);
  border-left: 1px solid var(--line);
  overflow: auto;
  min-height: 0;
}
header {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 36px;
  padding: 0 8px 0 12px;
  border-bottom: 1px solid var(--line);
}
.name {
  flex: 1;
}
.numbers {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
}
.set {
  display: flex;
  align-items: center;
  justify-content: space-between;
  font-size: 12px;
  min-height: 24px;
}
.ways {
  display: flex;
  gap: 4px;
}
.ways > * {
  flex: 1 1 auto;
}
.running {
  white-space: nowrap;
  display: flex;
  align-items: center;
  gap: 8px;
}
.switches {
  display: flex;
  gap: 12px;
}
.none {
  display: grid;
  gap: 10px;
  padding: 12px;
}
.none ol {
  margin: 0;
  padding-left: 18px;
  display: grid;
  gap: 6px;
}
</style>
