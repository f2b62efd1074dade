<script setup lang="ts">
// What is to be hidden of chosen clips, or of every clip of a folder, before that begins.
import { until } from '@vueuse/core'
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref } from 'vue'
import { useProtected } from '../state/protected'
import { useShelf } from '../state/shelf'
import Sheet from './Sheet.vue'

const props = defineProps<{ media: string[] }>()
const emit = defineEmits<{ close: [] }>()
const shelf = useShelf()
const films = useProtected()
const folder = ref<File[]>([])
const input = ref<HTMLInputElement>()
const what = ref(['faces'])
const CHOICES = [
  { value: 'faces', label: 'Faces' },
  { value: 'people', label: 'Whole people' },
  { value: 'lettering', label: 'Lettering' },
  { value: 'plates', label: 'Number plates' },
]
const CLIP = /\.(mp4|mov|m4v|mkv|webm|avi|mts|m2ts|mpe?g|mxf|wmv|3gp)$/i
const count = computed(() => folder.value.length || props.media.length)

function pick(event: Event) {
  const chosen = event.target as HTMLInputElement
  folder.value = [...(chosen.files ?? [])].filter((file) => CLIP.test(file.name))
  chosen.value = ''
}

function tick(value: string, on: boolean) {
  what.value = on ? [...what.value, value] : what.value.filter((one) => one !== value)
}

/** Begin with what is on the shelf; the clips of a folder begin as each of them has arrived and is read. */
async function begin() {
  emit('close')
  if (!folder.value.length) return void films.begin(props.media, what.value)
  for (const file of folder.value) {
    const id = await shelf.takeOne(file)
    if (!id) continue
    await until(() => shelf.medium(id)?.state !== 'waiting' && shelf.medium(id) !== undefined).toBeTruthy()
    if (shelf.medium(id)?.state === 'ready') await films.begin([id], what.value)
  }
}
</script>

<template>
  <Sheet title="Protect clips" :width="520" @close="emit('close')">
    <div class="choices">
      <p>
        Each clip gets a project of its own. What is ticked is found and hidden, the film is written, and checked; then
        it stands in the list on the shelf, and opens on the Bench.
      </p>
      <div class="ticks" role="group" aria-label="What is hidden">
        <NCheckbox
          v-for="one in CHOICES"
          :key="one.value"
          :checked="what.includes(one.value)"
          @update:checked="(on: boolean) => tick(one.value, on)"
          >{{ one.label }}</NCheckbox
        >
      </div>
      <p class="soft">
        {{
          folder.length
            ? `${folder.length} clips of the folder; keep this page open until all have arrived.`
            : media.length
              ? `${media.length} ${media.length === 1 ? 'clip' : 'clips'} of the shelf.`
              : 'Choose a folder, or tick clips on the shelf before.'
        }}
      </p>
    </div>
    <template #action>
      <div class="row">
        <NButton size="small" @click="input?.click()">Choose a folder …</NButton>
        <NButton size="small" type="primary" :disabled="!count || !what.length" @click="begin">{{
          count > 1 ? `Protect ${count} clips` : 'Protect this clip'
        }}</NButton>
      </div>
      <input ref="input" type="file" hidden webkitdirectory multiple aria-label="Folder of clips" @change="pick" />
    </template>
  </Sheet>
</template>

<style scoped>
.choices {
  display: grid;
  gap: 12px;
}
.ticks {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
