import { useCallback } from 'react';
import { useSearchParams } from 'react-router';

/**
 * One word of the address and its setter; an empty word leaves the address. The setter starts from the
 * address as it is, not as it was last drawn, so that two changes in a row both stay.
 */
export function useParam(key: string, otherwise = ''): [string, (value: string) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (value: string) =>
      setParams(
        () => {
          const after = new URLSearchParams(window.location.search);
          if (value && value !== otherwise) after.set(key, value);
          else after.delete(key);
          return after;
        },
        { replace: true },
      ),
    [key, otherwise, setParams],
  );
  return [params.get(key) ?? otherwise, set];
}
