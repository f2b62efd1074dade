<script setup lang="ts">
// Copied looks onto several regions, of any shots.
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref } from 'vue'
import Sheet from '../../parts/Sheet.vue'
import { useSession } from '../../state/session'
import { shotsOf } from '../../state/shots'
import { useLooks, type Side } from '../../state/looks'

const props = defineProps<{ side: Side }>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const state = useLooks()
const chosen = ref(new Set<string>())
const shots = computed(() => shotsOf(session.document).filter((shot) => shot.regions.length))
const names = computed(() => state.copied.map((look) => state.kindOf(look)?.label ?? look.kind).join(', '))

function paste() {
  const regions = shots.value.flatMap((shot) =>
    shot.regions.filter((one) => chosen.value.has(one.id)).map((one) => ({ shot: shot.id, region: one.id })),
  )
  state.paste(props.side, regions)
  emit('close')
}
</script>

<template>
  <Sheet :title="`Paste ${side}: ${names}`" :width="420" @close="emit('close')">
    <div class="shots">
      <section v-for="shot in shots" :key="shot.id">
        <h3 class="fade">{{ shot.name }}</h3>
        <NCheckbox
          v-for="region in shot.regions"
          :key="region.id"
          :checked="chosen.has(region.id)"
          @update:checked="
            (on: boolean) =>
              (chosen = new Set(on ? [...chosen, region.id] : [...chosen].filter((id) => id !== region.id)))
          "
          >{{ region.name }}</NCheckbox
        >
      </section>
    </div>
    <template #action>
      <NButton type="primary" :disabled="!chosen.size" @click="paste">Paste to {{ chosen.size }}</NButton>
    </template>
  </Sheet>
</template>

<style scoped>
.shots {
  display: grid;
  gap: 12px;
  max-height: 50vh;
  overflow: auto;
}
section {
  display: grid;
  gap: 4px;
}
</style>
