import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref, watch } from 'vue'
import { paint, type Mode } from '../theme'

export const useSettings = defineStore('settings', () => {
  const mode = ref<Mode>(localStorage.getItem('cravo.mode') === 'light' ? 'light' : 'dark')
  watch(
    mode,
    (now) => {
      localStorage.setItem('cravo.mode', now)
      paint(now)
    },
    { immediate: true },
  )
  const notify = useStorage('cravo.notify', false) // that work has ended, while the tab is not looked at
  return { mode, notify }
})
