import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useState } from 'react';
import type { FilePage } from '../api/types';
import { whole } from '../parts/format';
import { Modal } from './Modal';

/** So many are kept at once, as the server says too. */
const MOST = 20;
const ROW = 44;

/** Of a file with many pages, those to keep; each becomes a recording. */
export default function ChoosePages(props: {
  pages: FilePage[];
  onClose: () => void;
  onChosen: (numbers: number[]) => void;
}) {
  const { pages } = props;
  const [words, setWords] = useState('');
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const shown = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
    return pages.filter((page) => {
      const text = `${page.url} ${page.title ?? ''}`.toLowerCase();
      return wanted.every((word) => text.includes(word));
    });
  }, [pages, words]);
  const [box, setBox] = useState<HTMLDivElement | null>(null);
  const list = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box,
    estimateSize: () => ROW,
    overscan: 4,
  });
  const turn = (number: number) => {
    const after = new Set(chosen);
    if (!after.delete(number)) after.add(number);
    setChosen(after);
  };
  const full = chosen.size >= MOST;
  const first = shown.slice(0, MOST).map((page) => page.number);
  return (
    <Modal
      open
      wide
      onOpenChange={(open) => !open && props.onClose()}
      title="Which pages?"
      about={`The file holds ${whole(pages.length)} pages, and each becomes a recording. Up to ${MOST} are kept at once; nothing has been kept yet.`}
    >
      <div className="mt-3 flex items-center gap-3 text-[13px] text-ink-2">
        <input
          className="field w-72 font-mono text-[12.5px]"
          aria-label="Filter pages"
          placeholder="filter by words"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <span aria-live="polite">
          {whole(shown.length)} of {whole(pages.length)}, {chosen.size} chosen
        </span>
        <span className="ml-auto" />
        <button className="btn" disabled={first.length === 0} onClick={() => setChosen(new Set(first))}>
          The first {first.length || MOST} shown
        </button>
        <button className="btn" disabled={chosen.size === 0} onClick={() => setChosen(new Set())}>
          None
        </button>
      </div>
      <div ref={setBox} className="mt-3 h-[44vh] overflow-y-auto border-y border-rule">
        <ul className="relative" aria-label="Pages of the file" style={{ height: list.getTotalSize() }}>
          {list.getVirtualItems().map((item) => {
            const page = shown[item.index];
            if (!page) return null;
            const on = chosen.has(page.number);
            return (
              <li
                key={page.number}
                className="absolute inset-x-0 border-b border-rule text-[13px] last:border-0"
                style={{ top: item.start, height: ROW }}
              >
                <label className="flex h-full items-center gap-3 px-2 hover:bg-soft/50">
                  <input type="checkbox" checked={on} disabled={full && !on} onChange={() => turn(page.number)} />
                  <span className="w-12 text-right text-ink-3">{page.number}</span>
                  <span className="min-w-0 flex-1">
                    <span className="block truncate font-semibold">{page.title ?? page.url}</span>
                    <span className="block truncate font-mono text-[12px] text-ink-2" title={page.url}>
                      {page.url}
                    </span>
                  </span>
                  <span className="whitespace-nowrap text-ink-2">
                    {page.loads > 1 && `${whole(page.loads)} loads, `}
                    {whole(page.requests)} {page.requests === 1 ? 'request' : 'requests'}
                  </span>
                </label>
              </li>
            );
          })}
        </ul>
        {shown.length === 0 && <p className="p-3 text-ink-2">No page has all of these words.</p>}
      </div>
      <div className="mt-4 flex items-center gap-3">
        <button
          className="btn btn-main"
          disabled={chosen.size === 0}
          onClick={() => props.onChosen([...chosen].sort((a, b) => a - b))}
        >
          Keep {chosen.size === 1 ? 'one page' : `${chosen.size} pages`}
        </button>
        <button className="btn" onClick={props.onClose}>
          Keep nothing
        </button>
        {full && <span className="text-[13px] text-ink-2">{MOST} are chosen; more can be kept in another go.</span>}
      </div>
    </Modal>
  );
}
