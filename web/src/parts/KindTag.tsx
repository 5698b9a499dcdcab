import type { ResourceKind } from '../api/types';
import { KINDS } from './format';

/** A resource's kind by colour and by three letters, the same in every view. */
export function KindTag({ kind }: { kind: ResourceKind }) {
  const { tag, words, color } = KINDS[kind];
  return (
    <span className="inline-flex items-center gap-1.5 font-mono text-[12px] text-ink-2" title={words}>
      <span className="inline-block h-3.5 w-1" style={{ background: color }} aria-hidden />
      {tag}
    </span>
  );
}
