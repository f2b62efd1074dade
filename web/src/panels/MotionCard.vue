<script setup lang="ts">
// A motion as a thing of its own: what it follows, how, what it ignores, how steady it is, what is attached to it.
import { NButton, NCheckbox, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Model, Motion } from '../api/types'
import { MODELS } from '../parts/models'
import NameField from '../parts/NameField.vue'
import NumberField from '../parts/NumberField.vue'
import { type Way } from '../state/commands'
import { shapesOf } from '../state/numbers'
import { trackerColour } from '../state/trackers'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'
import FollowWays from './FollowWays.vue'

const { session, selection, lanes, view, tools, commands } = useStores()
const motion = computed(() => selection.motion!)
const riding = computed(() =>
  (selection.shot?.regions ?? []).flatMap((region) =>
    shapesOf(region)
      .filter((part) => part.attached_to === motion.value.id)
      .map((part) => `${region.name}: ${part.name}`),
  ),
)
const lane = computed(() => lanes.of?.motions.find((one) => one.motion === motion.value.id))
const count = computed(() => lane.value?.followed.reduce((sum, [first, last]) => sum + last - first + 1, 0) ?? 0)
const regions = computed(() => (selection.shot?.regions ?? []).map((one) => ({ value: one.id, label: one.name })))
const GIVES = ['nothing', 'position', 'scale and rotation, too', 'affine movement', 'perspective']
const STEADY = [
  { name: 'position' as const, label: 'Position' },
  { name: 'scale' as const, label: 'Scale' },
  { name: 'rotation' as const, label: 'Rotation' },
]
const on = computed(() => motion.value.trackers.filter((one) => one.on).length)

/** The frames on which a tracker is known. */
function knownOf(tracker: string): string {
  const known = lane.value?.trackers?.find((one) => one.tracker === tracker)?.known ?? []
  const frames = known.reduce((sum, [first, last]) => sum + last - first + 1, 0)
  if (frames < 2) return 'not followed yet'
  return known.length === 1 ? `frames ${known[0][0]} to ${known[0][1]}` : `${frames} frames in ${known.length} spans`
}

/** What those that are on give together, and on how many frames; each by itself may be known on more. */
const gives = computed(() => {
  const most = Math.min(on.value, 4)
  if (most < 2) return `This gives ${GIVES[most]}, on ${count.value} frames.`
  const alone = (lane.value?.trackers ?? [])
    .filter((one) => motion.value.trackers.find((each) => each.id === one.tracker)?.on)
    .map((one) => one.known.reduce((sum, [first, last]) => sum + last - first + 1, 0))
  const more =
    Math.max(0, ...alone) > count.value
      ? ` One alone is known on up to ${Math.max(...alone)}, and would give position there.`
      : ''
  return `Together they give ${GIVES[most]} on ${count.value} frames.${more}`
})

function change(label: string, to: (motion: Motion) => void) {
  void commands.editMotion(label, motion.value.id, to)
}
</script>

<template>
  <aside class="card" aria-label="Card of the motion">
    <header>
      <button class="plainbutton" type="button" title="Back to the region (Esc)" @click="selection.motionId = null">
        ‹
      </button>
      <NameField
        class="name"
        label="Name of the motion"
        :value="motion.name"
        @set="(name: string) => change('Rename motion', (one) => (one.name = name))"
      />
      <button
        class="plainbutton"
        type="button"
        title="What is attached to it keeps its place on this frame"
        @click="commands.change((shot, frame) => ({ do: 'remove motion', shot, motion: motion.id, frame }))"
      >
        Delete
      </button>
    </header>
    <Fold title="Follows" :note="motion.trackers.length ? `${on} of ${motion.trackers.length} trackers` : 'an area'">
      <template v-if="motion.trackers.length">
        <ul class="trackers">
          <li v-for="(tracker, index) in motion.trackers" :key="tracker.id">
            <NCheckbox
              size="small"
              :checked="tracker.on"
              @update:checked="
                (to: boolean) => change(to ? 'Tracker on' : 'Tracker off', (one) => (one.trackers[index].on = to))
              "
              >{{ tracker.name }}</NCheckbox
            >
            <span class="soft number" :title="`It begins on frame ${tracker.at}`"
              ><i class="dot" :style="{ background: trackerColour(index) }"></i>{{ knownOf(tracker.id) }}</span
            >
            <NumberField
              label="Size"
              unit="px"
              :value="tracker.size * 2"
              :low="16"
              :high="800"
              :step="2"
              :reset="64"
              @set="(to: number) => change('Size of tracker', (one) => (one.trackers[index].size = to / 2))"
            />
            <button
              class="plainbutton"
              type="button"
              :aria-label="`Remove ${tracker.name}`"
              @click="change('Remove tracker', (one) => one.trackers.splice(index, 1))"
            >
              Remove
            </button>
          </li>
        </ul>
        <p class="soft">{{ gives }}</p>
        <NButton size="tiny" dashed @click="tools.take({ draw: 'tracker', motion: motion.id })">Add tracker</NButton>
      </template>
      <p v-else-if="motion.given.length" class="soft">It came from a file, which says where it is.</p>
      <template v-else>
        <p class="soft">As drawn on frame {{ motion.at }}; the dashed line shows where it is.</p>
        <label class="line"
          ><span class="soft">Measures</span>
          <NSelect
            size="tiny"
            :value="motion.model"
            :options="MODELS"
            aria-label="What is measured"
            @update:value="(to: Model) => change('Change what is measured', (one) => (one.model = to))"
          />
        </label>
        <p v-if="motion.anchors.length" class="soft">
          Put right by hand on
          <button
            v-for="(anchor, index) in motion.anchors"
            :key="anchor.frame"
            class="plainbutton number"
            type="button"
            title="Press to take it back"
            @click="change('Take back', (one) => one.anchors.splice(index, 1))"
          >
            frame {{ anchor.frame }}
          </button>
        </p>
      </template>
      <FollowWays
        v-if="!motion.given.length"
        verb="Follow"
        @go="(way: Way) => commands.follow({ motion: motion.id }, way)"
        :fresh="count < 2"
      />
      <NCheckbox v-model:checked="view.grid" size="small">Grid laid into it (L)</NCheckbox>
    </Fold>
    <Fold v-if="!motion.given.length" title="Hold-outs" note="what it must ignore">
      <NSelect
        size="tiny"
        multiple
        :value="motion.hold_outs"
        :options="regions"
        placeholder="No region"
        aria-label="Regions that are ignored"
        @update:value="(to: string[]) => change('Change hold-outs', (one) => (one.hold_outs = to))"
      />
    </Fold>
    <Fold title="Smoothing" note="takes out jitter, over so many frames">
      <div class="numbers">
        <NumberField
          v-for="one in STEADY"
          :key="one.name"
          :label="one.label"
          unit="fr"
          :value="motion.steady[one.name] ?? 0"
          :low="0"
          :high="100"
          :reset="0"
          @set="(to: number) => change('Smoothing', (each) => (each.steady[one.name] = to))"
        />
      </div>
    </Fold>
    <Fold
      title="Known"
      :note="`followed on ${count} of ${selection.shot ? selection.shot.last - selection.shot.first + 1 : 0} frames`"
    >
      <div class="line">
        <NButton size="tiny" @click="commands.forget(motion.id, lanes.sourceFrame, lanes.sourceFrame)"
          >Forget this frame</NButton
        >
        <NButton size="tiny" @click="commands.forget(motion.id, selection.shot?.first ?? 0, selection.shot?.last ?? 0)"
          >Forget all</NButton
        >
      </div>
      <p class="soft">Drag along its row in the lanes to follow, redo or forget just a span.</p>
      <div class="line">
        <a class="plainbutton" :href="`/api/projects/${session.id}/motions/${selection.shot?.id}/${motion.id}.json`"
          >Save as JSON</a
        >
        <a class="plainbutton" :href="`/api/projects/${session.id}/motions/${selection.shot?.id}/${motion.id}.csv`"
          >Save as CSV</a
        >
      </div>
    </Fold>
    <Fold title="Attached to it" :note="riding.length ? undefined : 'nothing yet'">
      <ul>
        <li v-for="name in riding" :key="name" class="fade">{{ name }}</li>
      </ul>
    </Fold>
  </aside>
</template>

<style scoped>
.trackers li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 8px;
  align-items: center;
  padding: 2px 0;
}
.dot {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 4px;
  border-radius: 50%;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
