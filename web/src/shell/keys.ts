import { useEffect, useRef } from 'react';

type Handlers = Record<string, (event: KeyboardEvent) => void>;

/** Single keys for the whole window; not while the user types, and not with Ctrl, Alt or Meta. */
export function useKeys(handlers: Handlers): void {
  const latest = useRef(handlers);
  useEffect(() => {
    latest.current = handlers;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      const target = event.target as HTMLElement;
      if (
        target.closest('input, textarea, select, [contenteditable], [role="dialog"], [role="listbox"], [role="menu"]')
      )
        return;
      const handler = latest.current[event.key];
      if (handler) {
        event.preventDefault();
        handler(event);
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}

export const ALL_KEYS: [string, string][] = [
  ['?', 'this list'],
  ['r', 'record'],
  ['m', 'show or hide the margin'],
  ['1 … 8', 'sections of a recording'],
  ['/', 'to the filter'],
  ['j k, ↓ ↑', 'next and previous row'],
  ['Enter', 'open the row'],
  ['[ ]', 'previous and next frame'],
  ['+ − 0', 'closer, farther, the whole load'],
  ['.', 'add the selected finding’s fix to the plan'],
  ['Alt ↑ ↓', 'in the plan: move a fix up or down'],
  ['Esc', 'clear the selection'],
];
