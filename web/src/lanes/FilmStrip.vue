<script setup lang="ts">
// Pictures of the shot along its lane, with the loudness of its sound at the foot.
import { computed, ref, watchPostEffect } from 'vue'
import { useSelection } from '../state/selection'
import { surface } from './draw'

const props = defineProps<{ width: number; height: number }>()
const selection = useSelection()
const canvas = ref<HTMLCanvasElement>()
const strip = ref<HTMLImageElement | null>(null)
const loud = ref<Uint8Array | null>(null)
const clip = computed(() => selection.medium)

watchPostEffect(() => {
  const medium = clip.value
  strip.value = null
  loud.value = null
  if (!medium || medium.state !== 'ready') return
  const image = new Image()
  image.onload = () => {
    if (clip.value?.id === medium.id) strip.value = image
  }
  image.src = `/api/media/${medium.id}/strip.jpg`
  if (medium.sound)
    void fetch(`/api/media/${medium.id}/peaks`)
      .then((answer) => (answer.ok ? answer.arrayBuffer() : null))
      .then((bytes) => {
        if (bytes && clip.value?.id === medium.id) loud.value = new Uint8Array(bytes)
      })
})

watchPostEffect(() => {
  const shot = selection.shot
  const medium = clip.value
  if (!canvas.value || !shot || !medium || props.width <= 0) return
  const pen = surface(canvas.value, props.width, props.height)
  if (!pen) return
  pen.clearRect(0, 0, props.width, props.height)
  const total = medium.kind === 'still' ? 1 : (medium.frames ?? 1)
  const [first, last] = medium.kind === 'still' ? [0, 0] : [shot.first, shot.last]
  if (strip.value) {
    const wide = (strip.value.height * (medium.width ?? 16)) / (medium.height ?? 9)
    const count = Math.max(1, Math.round(strip.value.width / wide))
    const tile = strip.value.width / count
    const shown = (tile * props.height) / strip.value.height
    for (let x = 0; x < props.width; x += shown) {
      const frame = first + ((x + shown / 2) / props.width) * (last - first + 1)
      const which = Math.min(count - 1, Math.max(0, Math.floor((frame / total) * count)))
      pen.drawImage(strip.value, which * tile, 0, tile, strip.value.height, x, 0, shown - 1, props.height)
    }
  }
  if (loud.value && medium.seconds) {
    const foot = 12
    pen.fillStyle = '#000a'
    pen.fillRect(0, props.height - foot, props.width, foot)
    const voiced = getComputedStyle(canvas.value).getPropertyValue('--accent')
    for (let x = 0; x < props.width; x += 2) {
      const frame = first + (x / props.width) * (last - first + 1)
      const heard = shot.sounds.findLast((one) => one.first <= frame && frame < one.last + 1)
      const how = shot.sound ? (heard?.how ?? (shot.voice ? 'voice' : 'itself')) : 'mute'
      // Silence is a thin line, a tone a band of even height, another voice its own loudness in another colour.
      const value = loud.value[Math.floor((frame / total) * medium.seconds * 50)] ?? 0
      const tall = how === 'mute' ? 0 : how === 'tone' ? foot / 2 : (value / 255) * (foot - 2)
      pen.fillStyle = how === 'voice' ? voiced : '#fffc'
      pen.fillRect(x, props.height - 1 - tall, 1.4, Math.max(tall, 0.6))
    }
  }
})
</script>

<template>
  <canvas
    ref="canvas"
    class="strip"
    :style="{ width: `${width}px`, height: `${height}px` }"
    aria-hidden="true"
  ></canvas>
</template>

<style scoped>
.strip {
  display: block;
  background: var(--field);
}
</style>
