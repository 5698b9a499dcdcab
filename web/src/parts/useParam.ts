import { useCallback } from 'react';
import { useSearchParams } from 'react-router';

/** One word of the address and its setter; an empty word leaves the address. */
export function useParam(key: string, otherwise = ''): [string, (value: string) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (value: string) =>
      setParams(
        (before) => {
          const after = new URLSearchParams(before);
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
