<script setup lang="ts">
// A file that a look needs: one of the shelf, or a new one.
import { NSelect } from 'naive-ui'
import { until } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import type { Look, LookSetting } from '../../api/types'
import { useLooks, type Side } from '../../state/looks'
import { say } from '../../state/say'
import { useShelf } from '../../state/shelf'

const props = defineProps<{ side: Side; look: Look; setting: LookSetting }>()
const state = useLooks()
const shelf = useShelf()
const input = ref<HTMLInputElement>()
const kind = computed(() => (props.setting.accept.includes('cube') ? 'table' : 'still'))
const options = computed(() => [
  { value: '', label: 'none' },
  ...shelf.media
    .filter((one) => one.kind === kind.value && one.state === 'ready')
    .map((one) => ({ value: one.id, label: one.name })),
])

// A look that needs a picture asks for it as soon as it is chosen.
onMounted(() => {
  if (state.asked !== props.look.id || kind.value !== 'still') return
  state.asked = null
  input.value?.click()
})

async function take(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  const id = await shelf.takeOne(file)
  if (!id) return
  await until(() => shelf.medium(id)?.state !== 'waiting').toBeTruthy()
  const medium = shelf.medium(id)
  if (medium?.state === 'ready' && medium.kind === kind.value) state.file(props.side, props.look, props.setting, medium)
  else say().message.error(medium?.problem ?? `${file.name} is no ${kind.value === 'table' ? 'table' : 'picture'}.`)
}
</script>

<template>
  <div class="line soft">
    {{ setting.label }}
    <span class="right">
      <NSelect
        class="choice"
        size="tiny"
        :value="String(look.settings[setting.name] ?? '')"
        :options="options"
        :consistent-menu-width="false"
        :input-props="{ 'aria-label': setting.label }"
        @update:value="(to: string) => state.file(side, look, setting, shelf.medium(to) ?? null)"
      />
      <button class="plainbutton" type="button" @click="input?.click()">Bring in …</button>
      <input
        ref="input"
        hidden
        type="file"
        :accept="setting.accept"
        :aria-label="`${setting.label} file`"
        @change="take"
      />
    </span>
  </div>
</template>

<style scoped>
.line,
.right {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 4px;
}
.choice {
  width: 116px;
}
</style>
