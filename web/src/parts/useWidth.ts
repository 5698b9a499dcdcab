import { useCallback, useState } from 'react';

/** An element's width, followed as it changes; of another element too, where another takes its place. */
export function useWidth<T extends HTMLElement>(first = 600) {
  const [width, setWidth] = useState(first);
  const ref = useCallback((element: T | null) => {
    if (!element) return;
    const measure = () => setWidth(Math.max(120, Math.floor(element.clientWidth)));
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width] as const;
}
