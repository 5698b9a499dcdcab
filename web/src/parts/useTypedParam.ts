import { useEffect, useState } from 'react';
import { useParam } from './useParam';

/**
 * A word of the address that is typed into a field: the field follows each key, the address a little
 * later, and an address that changed by itself (Back, a link) is what the field shows.
 */
export function useTypedParam(key: string): [typed: string, type: (words: string) => void, inAddress: string] {
  const [inAddress, setInAddress] = useParam(key);
  const [typed, type] = useState(inAddress);
  const [seen, setSeen] = useState(inAddress);
  // What was written to the address and is not there yet: the address changes a moment later.
  const [sent, setSent] = useState<string | null>(null);
  if (inAddress !== seen) {
    setSeen(inAddress);
    setSent(null);
    if (inAddress !== sent) type(inAddress);
  }
  useEffect(() => {
    if (typed === (sent ?? seen)) return;
    const timer = setTimeout(() => {
      setSent(typed);
      setInAddress(typed);
    }, 200);
    return () => clearTimeout(timer);
  }, [typed, sent, seen, setInAddress]);
  return [typed, type, inAddress];
}
