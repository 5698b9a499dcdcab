import { useEffect, useLayoutEffect, useRef } from 'react';

type Handlers = Record<string, (event: KeyboardEvent) => void>;

/** Single keys for the whole window; not while the user types, and not with Ctrl, Alt or Meta. */
export function useKeys(handlers: Handlers): void {
  const latest = useRef(handlers);
  // With the drawing itself: a key must never act on what was selected before what is on the screen.
  useLayoutEffect(() => {
    latest.current = handlers;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      const target = event.target as HTMLElement;
      if (target.closest('input, textarea, select, [contenteditable], [role="dialog"], [role="menu"]')) return;
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

/** Steps through `count` rows from the one at `at`. Keys that come faster than the screen is drawn count from where the last one led. */
export function useSteps(at: number, count: number, go: (next: number) => void): (by: number) => void {
  const place = useRef(at);
  useLayoutEffect(() => {
    place.current = at;
  }, [at]);
  return (by) => {
    const next = Math.max(0, Math.min(count - 1, place.current + by));
    place.current = next;
    go(next);
  };
}

/** The keys of a table's rows, and whatever else a screen knows. */
export function useRowKeys(at: number, count: number, go: (next: number) => void, more: Handlers = {}): void {
  const step = useSteps(at, count, go);
  const [down, up] = [() => step(1), () => step(-1)];
  useKeys({ j: down, k: up, ArrowDown: down, ArrowUp: up, ...more });
}

export const ALL_KEYS: [string, string][] = [
  ['?', 'this list'],
  ['r', 'record'],
  ['m', 'show or hide the margin'],
  ['1 … 9', 'sections of a recording'],
  ['/', 'to the filter'],
  ['j k, ↓ ↑', 'next and previous row'],
  ['Enter', 'open the row'],
  ['[ ]', 'previous and next frame'],
  ['+ − 0', 'closer, farther, the whole load'],
  ['.', 'add the selected finding’s fix to the plan'],
  ['Alt ↑ ↓', 'in the plan: move a fix up or down'],
  ['t', 'in the plan: take the proposed order over'],
  ['Esc', 'clear the selection'],
];
