import type { RequestRow } from '../../api/types';
import { shortName } from '../../parts/names';

/** What asked for a request, as a sentence. */
export function initiatorWords(row: RequestRow): string {
  const by = row.initiator.url ? shortName(row.initiator.url) : null;
  switch (row.initiator.kind) {
    case 'parser':
      return row.initiator.line ? `Found in the document, line ${row.initiator.line}.` : 'Found in the document.';
    case 'script':
      return by ? `Asked for by ${by}.` : 'Asked for by a script.';
    case 'style':
      return by ? `Named in ${by}.` : 'Named in a stylesheet.';
    case 'preload':
      return 'Preloaded.';
    case 'redirect':
      return 'Reached by a redirect.';
    case 'navigation':
      return 'The navigation itself.';
    case 'unknown':
      return 'What asked for it is not known.';
  }
}

/** From the document down to a request, by who asked for whom. */
export function chainOf(requests: RequestRow[], row: RequestRow): RequestRow[] {
  const chain = [row];
  const seen = new Set([row.id]);
  for (let at = row.asked_by; at !== null && !seen.has(at);) {
    const asker = requests[at];
    if (!asker) break;
    seen.add(asker.id);
    chain.unshift(asker);
    at = asker.asked_by;
  }
  return chain;
}
