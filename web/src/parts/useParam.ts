import { useCallback } from 'react';
import { useLocation, useSearchParams } from 'react-router';

/**
 * One word of the address and its setter; an empty word leaves the address. The setter starts from the
 * address as it is, not as it was last drawn, so that two changes in a row both stay. A screen that is
 * being left (its successor is still on its way) changes the address no more: it would call itself back.
 */
export function useParam(key: string, otherwise = ''): [string, (value: string) => void] {
  const [params, setParams] = useSearchParams();
  const { pathname } = useLocation();
  const set = useCallback(
    (value: string) => {
      if (window.location.pathname !== pathname) return;
      setParams(
        () => {
          const after = new URLSearchParams(window.location.search);
          if (value && value !== otherwise) after.set(key, value);
          else after.delete(key);
          return after;
        },
        { replace: true },
      );
    },
    [key, otherwise, pathname, setParams],
  );
  return [params.get(key) ?? otherwise, set];
}
