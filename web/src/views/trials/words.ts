import type { Becomes, Compared, Trial, Verdict } from '../../api/types';
import { plural } from '../../parts/format';
import { shortName } from '../../parts/names';

export const VERDICTS: Record<Verdict, string> = { better: 'better', worse: 'worse', cannot_tell: 'can’t tell' };

export const BECOMES: Record<Becomes, string> = {
  changed: 'changed',
  added: 'new',
  taken_off: 'not asked for any more',
  served: 'served otherwise',
};

/** What is tried, in one line. */
export function title(trial: Trial): string {
  const [first] = [...trial.edits.map((e) => e.title), ...trial.by_hand.map((url) => `${shortName(url)}, by hand`)];
  const more = trial.edits.length + trial.by_hand.length - 1;
  return `${first ?? 'Nothing'}${more > 0 ? `, and ${plural(more, 'edit')} more` : ''}`;
}

/** What a verdict leaves open. */
export function openQuestion(c: Compared, verdict: Verdict, broken: boolean): string {
  if (verdict !== 'cannot_tell') return '';
  if (broken && c.verdict === 'better') return 'lower, but the page is broken';
  if (c.loads_needed !== null) return `${c.loads_needed} loads might`;
  return '';
}
