<script setup lang="ts">
// The looks of one side of the selected region. What there is and what can be set comes from the server.
import { NButton, NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { Keyed, Look, LookSetting, Region } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { useBench } from '../state/bench'
import { valueAt, withValue } from '../state/numbers'
import { useShelf } from '../state/shelf'
import Fold from './Fold.vue'

const props = defineProps<{ side: 'inside' | 'outside'; title: string }>()
const bench = useBench()
const shelf = useShelf()
const looks = computed(() => bench.region?.[props.side] ?? [])
const kinds = computed(() => shelf.facts?.looks ?? [])
const kindOf = (look: Look) => kinds.value.find((one) => one.kind === look.kind)

function add(kind: string, label: string) {
  const look: Look = { id: newId(), kind, on: true, strength: 1, settings: {} }
  void bench.editRegion(`Add ${label}`, (region) => {
    region[props.side].push(look)
  })
}

function remove(look: Look) {
  void bench.editRegion(`Remove ${kindOf(look)?.label ?? look.kind}`, (region) => {
    region[props.side] = region[props.side].filter((one) => one.id !== look.id)
  })
}

function change(look: Look, label: string, to: (look: Look) => void, meant = true) {
  const run = (region: Region) => {
    const found = region[props.side].find((one) => one.id === look.id)
    if (found) to(found)
  }
  if (meant) void bench.editRegion(label, run)
  else bench.tryRegion(run)
}

function strength(look: Look, value: number, meant: boolean) {
  const at = bench.sourceFrame
  change(look, 'Change strength', (one) => (one.strength = withValue(one.strength, at, value / 100)), meant)
}

function setting(look: Look, which: LookSetting, value: number | string, meant: boolean) {
  const at = bench.sourceFrame
  const set = (one: Look) => {
    const old = one.settings[which.name] ?? which.default
    one.settings[which.name] =
      typeof value === 'string' || typeof old === 'string' ? value : withValue(old as number | Keyed, at, value)
  }
  change(look, `Change ${which.label.toLowerCase()}`, set, meant)
}

function numberOf(look: Look, which: LookSetting): number {
  const value = look.settings[which.name] ?? which.default
  return typeof value === 'string' ? 0 : valueAt(value, bench.sourceFrame)
}

function newId(): string {
  return crypto.randomUUID().replaceAll('-', '').slice(0, 12)
}
</script>

<template>
  <Fold :title="title" :note="looks.length ? undefined : 'none: left as it is'">
    <ul v-if="looks.length" class="looks">
      <li v-for="look in looks" :key="look.id">
        <div class="head">
          <NCheckbox
            size="small"
            :checked="look.on"
            @update:checked="(on: boolean) => change(look, on ? 'Look on' : 'Look off', (one) => (one.on = on))"
          >
            <strong>{{ kindOf(look)?.label ?? look.kind }}</strong>
          </NCheckbox>
          <span class="spring"></span>
          <button class="plainbutton" type="button" :aria-label="`Remove ${kindOf(look)?.label}`" @click="remove(look)">
            Remove
          </button>
        </div>
        <div class="numbers">
          <NumberField
            label="Strength"
            unit="%"
            :value="valueAt(look.strength, bench.sourceFrame) * 100"
            :low="0"
            :high="100"
            :reset="100"
            @trying="strength(look, $event, false)"
            @set="strength(look, $event, true)"
          />
          <template v-for="one in kindOf(look)?.settings ?? []" :key="one.name">
            <NumberField
              v-if="typeof one.default === 'number'"
              :label="one.label"
              :unit="one.unit"
              :value="numberOf(look, one)"
              :low="one.low"
              :high="one.high"
              :step="one.step"
              :digits="one.step < 1 ? 2 : 0"
              :reset="one.default"
              @trying="setting(look, one, $event, false)"
              @set="setting(look, one, $event, true)"
            />
            <label v-else class="colour soft">
              {{ one.label }}
              <input
                type="color"
                :value="String(look.settings[one.name] ?? one.default)"
                @input="setting(look, one, ($event.target as HTMLInputElement).value, false)"
                @change="setting(look, one, ($event.target as HTMLInputElement).value, true)"
              />
            </label>
          </template>
        </div>
      </li>
    </ul>
    <div class="add">
      <NButton
        v-for="kind in kinds"
        :key="kind.kind"
        size="tiny"
        dashed
        :aria-label="`Add ${kind.label} ${side}`"
        @click="add(kind.kind, kind.label)"
      >
        {{ kind.label }}
      </NButton>
    </div>
  </Fold>
</template>

<style scoped>
.looks {
  display: grid;
  gap: 8px;
}
.head {
  display: flex;
  align-items: center;
}
.spring {
  flex: 1;
}
.colour {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
.colour input {
  width: 76px;
  height: 24px;
  padding: 1px 2px;
  border: 1px solid var(--control);
  border-radius: 4px;
  background: var(--field);
}
.add {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
