<script setup lang="ts">
// The looks of one side of the selected region, in the order in which they are applied.
import { NDropdown, NPopover } from 'naive-ui'
import { computed, ref } from 'vue'
import { useLooks, type Side } from '../state/looks'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'
import LookChooser from './looks/LookChooser.vue'
import LookRow from './looks/LookRow.vue'
import PasteLooks from './looks/PasteLooks.vue'

const props = defineProps<{ side: Side; title: string }>()
const { session, selection, lanes } = useStores()
const state = useLooks()
const choosing = ref(false)
const pasting = ref(false)
const looks = computed(() => selection.region?.[props.side] ?? [])
const table = computed(() => {
  const place = `${selection.shot?.id}/${selection.region?.id}/${props.side}.cube?frame=${lanes.sourceFrame}`
  return (size: number) => `/api/projects/${session.id}/grade/${place}&size=${size}`
})
const more = computed(() => [
  { key: 'copy', label: 'Copy all', disabled: !looks.value.length },
  { key: 'paste', label: 'Paste here', disabled: !state.copied.length },
  { key: 'others', label: 'Paste to other regions …', disabled: !state.copied.length },
  { key: 'reset', label: 'Reset all', disabled: !looks.value.length },
  {
    key: 'cube',
    label: 'Colour looks as a table',
    disabled: !looks.value.some((look) => state.kindOf(look)?.graded),
    children: [17, 33, 65].map((size) => ({ key: size, label: `.cube, ${size} points a side` })),
  },
])

function act(key: string | number) {
  if (typeof key === 'number') window.open(table.value(key))
  else if (key === 'copy') state.copy(looks.value)
  else if (key === 'reset') state.reset(props.side, looks.value)
  else if (key === 'others') pasting.value = true
  else if (key === 'paste' && selection.shot && selection.region)
    state.paste(props.side, [{ shot: selection.shot.id, region: selection.region.id }])
}

function add(kind: string) {
  choosing.value = false
  state.add(props.side, kind)
}
</script>

<template>
  <Fold :title="title" help="looks" :note="looks.length ? `${looks.length}` : 'none: left as it is'">
    <ul v-if="looks.length" class="looks">
      <LookRow
        v-for="(look, i) in looks"
        :key="look.id"
        :side="side"
        :look="look"
        :first="i === 0"
        :last="i === looks.length - 1"
      />
    </ul>
    <div class="foot">
      <NPopover v-model:show="choosing" trigger="click" placement="left" :show-arrow="false" style="padding: 8px">
        <template #trigger>
          <button class="plainbutton dashed" type="button" :aria-label="`Add a look ${side}`">+ Add a look</button>
        </template>
        <LookChooser :side="side" @choose="add" />
      </NPopover>
      <span class="spring"></span>
      <NDropdown trigger="click" :options="more" @select="act">
        <button class="plainbutton" type="button" :aria-label="`More for looks ${side}`">More</button>
      </NDropdown>
    </div>
    <PasteLooks v-if="pasting" :side="side" @close="pasting = false" />
  </Fold>
</template>

<style scoped>
.looks {
  display: grid;
  margin: 0 -4px;
}
.foot {
  display: flex;
  align-items: center;
}
.spring {
  flex: 1;
}
.dashed {
  border: 1px dashed var(--control);
  padding: 0 10px;
}
</style>
