// Sentences shown in passing, from anywhere.
import { createDiscreteApi, darkTheme } from 'naive-ui'
import { computed } from 'vue'
import { overrides } from '../theme'
import { useSettings } from './settings'

let made: ReturnType<typeof make> | undefined

function make() {
  const settings = useSettings()
  const configProviderProps = computed(() => ({
    theme: settings.mode === 'dark' ? darkTheme : null,
    themeOverrides: overrides(settings.mode),
  }))
  return createDiscreteApi(['message', 'dialog'], { configProviderProps })
}

export function say() {
  return (made ??= make())
}

/** Run something; what is refused is said. Returns whether it went well. */
export async function attempt(run: () => Promise<unknown>): Promise<boolean> {
  try {
    await run()
    return true
  } catch (error) {
    say().message.error(error instanceof Error ? error.message : String(error), { duration: 6000, closable: true })
    return false
  }
}

export function confirmed(title: string, content: string, positiveText: string): Promise<boolean> {
  return new Promise((answer) => {
    say().dialog.warning({
      title,
      content,
      positiveText,
      negativeText: 'Keep',
      onPositiveClick: () => answer(true),
      onNegativeClick: () => answer(false),
      onClose: () => answer(false),
      onMaskClick: () => answer(false),
      onEsc: () => answer(false),
    })
  })
}
