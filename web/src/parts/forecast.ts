import type { Brings } from '../api/types';
import { METRICS, signed } from './format';

/** From here on a change of the metric is worth a word: ms, bytes, or CLS. */
const worth = (b: Brings) => (b.metric === 'weight' ? 1000 : b.metric === 'cls' ? 0.005 : 10);

export const changeOf = (b: Brings) => b.after - b.before;

/** Whether a load tells when it was painted: a HAR alone does not. */
export const tellsPaints = (brings: Brings[]) => brings.some((b) => b.metric === 'lcp' || b.metric === 'fcp');

/** What is said where it does not. */
export const UNPAINTED = 'when it is painted is not told, so that of the metrics only the weight is forecast';

export const moves = (b: Brings) => Math.abs(changeOf(b)) >= worth(b);

/** What a fix brings in a few words: to the largest paint, or else to whatever it moves. */
export function inShort(brings: Brings[]): string {
  const lcp = brings.find((b) => b.metric === 'lcp');
  // Of a load that does not tell its paints, that it becomes lighter is all that can be said.
  const others = lcp ? brings : brings.filter((b) => changeOf(b) < 0);
  const told = lcp && moves(lcp) ? lcp : others.find(moves);
  if (!told) return lcp ? 'no change' : 'not known';
  return `${told === lcp ? '' : `${METRICS[told.metric].short} `}${signed(told.metric, changeOf(told))}`;
}

/** By how much the largest paint comes earlier; 0 where it does not, or that is not known. */
export function gain(brings: Brings[] | undefined): number {
  const lcp = brings?.find((b) => b.metric === 'lcp');
  return lcp && moves(lcp) ? Math.max(0, -changeOf(lcp)) : 0;
}
