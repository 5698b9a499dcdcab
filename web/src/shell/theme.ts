export type Theme = 'system' | 'day' | 'night';
const KEY = 'phainon.theme';
const dark = window.matchMedia('(prefers-color-scheme: dark)');

export function theme(): Theme {
  const kept = localStorage.getItem(KEY);
  return kept === 'day' || kept === 'night' ? kept : 'system';
}

export function applyTheme(): void {
  const wanted = theme();
  document.documentElement.dataset.theme = wanted === 'system' ? (dark.matches ? 'night' : 'day') : wanted;
}

export function setTheme(next: Theme): void {
  if (next === 'system') localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, next);
  applyTheme();
}

dark.addEventListener('change', applyTheme);
