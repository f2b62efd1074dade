<script setup lang="ts">
// What the tool in hand waits for, at the card's foot: not over the picture, where people draw, and nothing moves for it.
import { computed } from 'vue'
import { shapeKind } from '../shapes'
import { useStores } from '../state/stores'

const { tools } = useStores()
const hint = computed(() => {
  const { draw } = tools
  if (draw === 'area') return 'Drag around something with texture that moves as one. Esc leaves.'
  const [stroke, pick, spot] = [tools.held('stroke'), tools.held('pick'), tools.held('spot')]
  if (stroke)
    return stroke.include
      ? 'Draw a line over what is to be cut out, or click on it. Alt: what is not. Esc leaves.'
      : 'Draw a line over what does not belong to it. Alt: what does. Esc leaves.'
  if (pick)
    return pick.include
      ? 'Click a colour that belongs to it, or drag over several. Esc leaves.'
      : 'Click a colour that does not belong to it. Esc leaves.'
  if (draw === 'tracker') return 'Click on a spot with texture, away from highlights. Esc leaves.'
  if (spot) return `Click the spot for ${spot.recipe.name}. Esc leaves.`
  return shapeKind(draw ?? undefined)?.hint ?? ''
})
</script>

<template>
  <p class="hint" role="status" :hidden="!hint">{{ hint }}</p>
</template>

<style scoped>
.hint {
  flex: none;
  margin: 0;
  padding: 8px 12px;
  border-left: 1px solid var(--line);
  border-top: 1px solid var(--line);
  background: var(--raised);
  box-shadow: inset 3px 0 0 var(--accent);
}
.hint[hidden] {
  display: none;
}
</style>
