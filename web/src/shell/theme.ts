/** Light sheet or dark cabinet; what the system prefers unless chosen. */
const KEY = 'highmoor-theme';

export function theme(): 'light' | 'dark' {
  const chosen = window.localStorage.getItem(KEY);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme();
}

export function switchTheme(): void {
  window.localStorage.setItem(KEY, theme() === 'dark' ? 'light' : 'dark');
  applyTheme();
}
