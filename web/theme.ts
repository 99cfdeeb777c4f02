export type Theme = 'light' | 'dark'

const stored = (): Theme | null => {
  const value = localStorage.getItem('theme')
  return value === 'light' || value === 'dark' ? value : null
}
export const currentTheme = (): Theme => stored() ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light')

export function applyTheme(theme: Theme = currentTheme()): void {
  document.documentElement.dataset.theme = theme
}

export function setTheme(theme: Theme): void {
  localStorage.setItem('theme', theme)
  applyTheme(theme)
}

/** A colour token as the browser resolves it, for drawings on a canvas. */
export const inkOf = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()
