<script setup lang="ts">
// Version and licences, and the file to send along with a fault.
import { NButton } from 'naive-ui'
import { computed, onMounted, shallowRef } from 'vue'
import ours from 'virtual:licences'
import { api, content } from '../api/client'
import type { About } from '../api/types'
import { attempt } from '../state/say'
import Sheet from './Sheet.vue'
import { sizeOf } from './words'

const emit = defineEmits<{ close: [] }>()
const about = shallowRef<About | null>(null)
const packages = computed(() => [...(about.value?.packages ?? []), ...ours])

onMounted(() => attempt(async () => void (about.value = (await content(api.GET('/api/about'))) as About)))
</script>

<template>
  <Sheet title="About Cravo" :width="640" @close="emit('close')">
    <template v-if="about">
      <p>
        Cravo {{ about.version }}, published under {{ about.licence }}: you may use, study, share and change it. Nothing
        that you open in it leaves this machine.
      </p>
      <p class="fault">
        <NButton tag="a" size="small" href="/api/diagnostics" download="cravo-diagnostics.json"
          >Save a diagnostic file</NButton
        >
        <span class="soft"
          >To send along with a fault: versions, the machine, sizes and codecs of clips, and where in the code faults
          were. No pictures and no names.</span
        >
      </p>
      <div class="made" tabindex="0" role="region" aria-label="Networks and packages">
        <h3>Networks</h3>
        <ul>
          <li v-for="one in about.networks" :key="one.name">
            {{ one.name }} <span class="soft number">{{ sizeOf(one.size) }}</span>
          </li>
        </ul>
        <p class="soft">They run on: {{ about.runs_on.join(', ') }}. {{ about.problem }}</p>
        <p class="soft">Where each was published, and its licence: in the guide under Running Cravo.</p>
        <h3>Packages</h3>
        <table>
          <tbody>
            <tr v-for="one in packages" :key="one.name">
              <td>{{ one.name }}</td>
              <td class="number">{{ one.version }}</td>
              <td>{{ one.licence }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
    <p v-else class="soft">Loading …</p>
  </Sheet>
</template>

<style scoped>
.fault {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  align-items: center;
  gap: 12px;
  margin: 12px 0;
}
.made {
  max-height: min(420px, 50vh);
  overflow: auto;
}
h3 {
  margin: 8px 0 4px;
}
td {
  padding: 2px 16px 2px 0;
  vertical-align: top;
}
</style>
