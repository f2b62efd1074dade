<script setup lang="ts">
// What the selected shape moves with, and following it.
import { NButton, NCheckbox, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Model } from '../api/types'
import { MODELS } from '../parts/models'
import { shapeKind } from '../shapes'
import { type Way } from '../state/commands'
import { say } from '../state/say'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'
import FollowWays from './FollowWays.vue'
import Running from './Running.vue'

const { selection, lanes, commands } = useStores()
const part = computed(() => selection.shape)
const endless = computed(() => !!shapeKind(part.value?.kind)?.endless)
const motion = computed(() => selection.shot?.motions.find((one) => one.id === part.value?.attached_to))
const followed = computed(() => {
  const lane = lanes.of?.motions.find((one) => one.motion === motion.value?.id)
  const count = lane?.followed.reduce((sum, [first, last]) => sum + last - first + 1, 0) ?? 0
  const total = selection.shot ? selection.shot.last - selection.shot.first + 1 : 0
  return `${count} of ${total} frames`
})
const motions = computed(() => [
  { value: '', label: 'Nothing' },
  ...(selection.shot?.motions ?? []).map((one) => ({ value: one.id, label: one.name })),
])
const SWITCHES = [
  { name: 'position' as const, label: 'Position' },
  { name: 'scale' as const, label: 'Scale' },
  { name: 'rotation' as const, label: 'Rotation' },
]

function ride(to: string) {
  const id = part.value?.id
  if (id) void commands.change((shot, frame) => ({ do: 'attach', shot, part: id, motion: to || null, frame }))
}

function switchMotion(name: 'position' | 'scale' | 'rotation', on: boolean) {
  if (!motion.value) return
  void commands.editMotion(
    on ? `Use the followed ${name}` : `Leave out the followed ${name}`,
    motion.value.id,
    (one) => {
      one[name] = on
    },
  )
}

function goOn() {
  const id = part.value?.id
  if (!id) return
  const [frame, motionId] = [lanes.sourceFrame, motion.value?.id]
  void commands
    .change((shot, at) => ({ do: 'go on from', shot, part: id, frame: at }))
    .then((well) => {
      if (!well) return
      commands.follow({ part: id }, 'both')
      const lost = lanes.of?.motions.find((one) => one.motion === motionId)?.lost.length
      say().message.info(
        `From frame ${frame} on it is followed anew, away from where it began. What was followed on the way there stays` +
          (lost ? '; where it was lost it is looked for back from here.' : '.'),
      )
    })
}
</script>

<template>
  <Fold title="Moves with" :note="motion ? `followed on ${followed}` : 'nothing: it stands still'">
    <template v-if="part">
      <div class="line">
        <NSelect
          size="tiny"
          :value="part.attached_to ?? ''"
          :options="motions"
          aria-label="Motion that the shape is attached to"
          @update:value="ride"
        />
        <NSelect
          v-if="!motion && !endless"
          size="tiny"
          class="model"
          :value="commands.model"
          :options="MODELS"
          aria-label="What is measured"
          @update:value="(to: Model) => (commands.model = to)"
        />
        <button v-if="motion" class="plainbutton" type="button" @click="selection.motionId = motion.id">
          All settings ›
        </button>
      </div>
      <FollowWays
        v-if="motion ? !motion.given.length : !endless"
        verb="Follow"
        :fresh="!motion"
        @go="(way: Way) => commands.follow({ part: part!.id }, way)"
      />
      <p v-else-if="!motion" class="soft">
        A horizon has nothing to follow. Attach it to a motion of something with texture.
      </p>
      <Running :of="motion?.id" label="Following" />
      <div v-if="motion" class="switches">
        <NCheckbox
          v-for="one in SWITCHES"
          :key="one.name"
          size="small"
          :checked="motion[one.name]"
          @update:checked="switchMotion(one.name, $event)"
          >{{ one.label }}</NCheckbox
        >
        <NButton
          v-if="!motion.trackers.length && !motion.given.length && lanes.sourceFrame !== motion.at"
          size="tiny"
          title="Take where the shape is now as right, and follow on from this frame (G). The frames before it stay as they are, back to where it was last put right."
          @click="goOn"
          >Go on from here</NButton
        >
      </div>
    </template>
  </Fold>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
}
.line > :first-child {
  flex: 1 0 180px;
}
.model {
  flex-basis: 100%;
}
.switches {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
}
</style>
