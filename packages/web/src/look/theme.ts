const dark = matchMedia('(prefers-color-scheme: dark)')
const key = 'custode.theme'

function wantsDark(): boolean {
  const chosen = localStorage.getItem(key)
  return chosen ? chosen === 'dark' : dark.matches
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = wantsDark() ? 'dark' : 'light'
  dark.onchange = applyTheme
}

export function turnTheme(): void {
  localStorage.setItem(key, wantsDark() ? 'light' : 'dark')
  applyTheme()
}
