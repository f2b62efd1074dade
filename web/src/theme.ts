// The one place for colours: theme.json, as CSS variables and as overrides for Naive UI.
import type { GlobalThemeOverrides } from 'naive-ui'
import tokens from './theme.json'

export type Mode = keyof typeof tokens

export function paint(mode: Mode) {
  const root = document.documentElement
  root.dataset.mode = mode
  for (const [name, value] of Object.entries(tokens[mode])) root.style.setProperty(`--${name}`, value)
}

export function overrides(mode: Mode): GlobalThemeOverrides {
  const t = tokens[mode]
  return {
    common: {
      fontFamily: "'Instrument Sans Variable', sans-serif",
      fontSize: '13px',
      fontSizeSmall: '13px',
      fontSizeMedium: '13px',
      borderRadius: '4px',
      primaryColor: t.accent,
      primaryColorHover: t.accent,
      primaryColorPressed: t.accent,
      primaryColorSuppl: t.accent,
      errorColor: t.bad,
      warningColor: t.doubt,
      successColor: t.good,
      textColorBase: t.text,
      textColor1: t.text,
      textColor2: t.text,
      textColor3: t.soft,
      placeholderColor: t.soft,
      bodyColor: t.ground,
      cardColor: t.panel,
      modalColor: t.panel,
      popoverColor: t.raised,
      inputColor: t.field,
      borderColor: t.control,
      dividerColor: t.line,
    },
    Button: {
      textColorPrimary: t.onAccent,
      textColorHoverPrimary: t.onAccent,
      textColorPressedPrimary: t.onAccent,
      textColorFocusPrimary: t.onAccent,
      textColorDisabledPrimary: t.onAccent,
      heightSmall: '26px',
      heightTiny: '22px',
      fontSizeTiny: '12px',
    },
    Dropdown: { optionOpacityDisabled: '0.85' },
    Progress: { fillColor: t.accent, railColor: t.line },
    Input: { border: `1px solid ${t.control}` },
    Select: { peers: { InternalSelection: { border: `1px solid ${t.control}`, color: t.field } } },
    Tooltip: { color: t.raised, textColor: t.text },
  }
}
