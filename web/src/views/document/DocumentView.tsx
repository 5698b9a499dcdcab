import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef } from 'react';
import { useDetail, useDocument } from '../../api/queries';
import type { Analysis } from '../../api/queries';
import type { DocumentMark, DocumentView as Doc, Share } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { bytes, ms, whole } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';
import { Empty, NotKnown, Trouble, Waiting } from '../../parts/states';
import { useKeys } from '../../shell/keys';
import { useReading } from '../../shell/reading';

const ROW = 21;

/** The document as text, with what each place of it caused. */
export default function DocumentView() {
  const { load, recording, number } = useReading();
  const answer = useDocument(recording.id, number);
  if (answer.error) {
    const kept = /was not kept|no document/.test(answer.error.message);
    return kept ? (
      <Empty title="The document’s text is not here">
        <p>{answer.error.message} A recording made here keeps it; a trace alone never holds it.</p>
      </Empty>
    ) : (
      <Trouble error={answer.error} again={() => void answer.refetch()} />
    );
  }
  if (!answer.data) return <Waiting />;
  return <Read doc={answer.data} load={load} />;
}

function Read({ doc, load }: { doc: Doc; load: Analysis }) {
  const { recording } = useReading();
  const detail = useDetail(recording.id);
  const stops = doc.marks.filter((m) => m.mark.what === 'stop');
  const stopped = stops.reduce((sum, m) => sum + (m.mark.what === 'stop' ? m.mark.for_ms : 0), 0);
  const round = doc.marks.find((m) => m.mark.what === 'first_round');
  return (
    <div className="flex h-full min-h-0 flex-col px-5 pt-2">
      <h1 className="text-[25px] leading-tight">
        {stops.length
          ? `The parser stopped ${stops.length === 1 ? 'once' : `${stops.length} times`}, ${ms(stopped)} together`
          : `${bytes(doc.whole.raw)} of document`}
      </h1>
      <div className="mt-1 flex items-start gap-8">
        <div className="flex-1 text-[13px]">
          <dl className="flex flex-wrap gap-x-7 gap-y-1">
            <Figure name="document" share={doc.whole} how="The text as it stands, and packed with gzip." />
            <Figure
              name="inline style"
              share={doc.inline_style}
              of={doc.whole}
              how="All style elements and style attributes, as they stand and packed on their own with gzip."
            />
            <Figure
              name="inline script"
              share={doc.inline_script}
              of={doc.whole}
              how="All scripts that stand in the document, as they stand and packed on their own with gzip."
            />
            <div>
              <dt className="text-[12px] text-ink-2">over the line</dt>
              <dd>
                {bytes(doc.transferred)} {doc.encoding ? `as ${doc.encoding}` : 'not packed'}
              </dd>
            </div>
            <div>
              <dt className="text-[12px] text-ink-2">first round trip</dt>
              <dd>
                <Ask how="A fresh connection brings ten segments, 14,600 bytes, before it must wait for an answer (RFC 6928). Headers come first; the place in a packed document is found by packing its beginning.">
                  {round ? `ends at byte ${whole(round.at)}` : 'holds all of it'}
                </Ask>
              </dd>
            </div>
          </dl>
          <p className="mt-1 text-ink-2">{doc.largest}</p>
          <NotKnown reasons={doc.notes} />
        </div>
        {detail.data?.inline_only && (
          <figure className="shrink-0 text-center text-[12px] text-ink-2">
            <a href={`/api/recordings/${recording.id}/detail/inline-only.jpg`} target="_blank" rel="noreferrer">
              <img
                src={`/api/recordings/${recording.id}/detail/inline-only.jpg`}
                alt="The first screen with its inline styles alone"
                className="inline-block h-[112px] max-w-[240px] border border-rule-strong object-cover object-top"
              />
            </a>
            <figcaption>with its inline styles alone</figcaption>
          </figure>
        )}
      </div>
      <Text doc={doc} load={load} />
    </div>
  );
}

function Figure({ name, share, of, how }: { name: string; share: Share; of?: Share; how: string }) {
  return (
    <div>
      <dt className="text-[12px] text-ink-2">{name}</dt>
      <dd>
        <Ask how={how}>
          {bytes(share.raw)}, {bytes(share.packed)} packed
        </Ask>
        {of && of.raw > 0 && <span className="text-ink-2"> ({((share.raw / of.raw) * 100).toFixed(0)} %)</span>}
      </dd>
    </div>
  );
}

function Text({ doc, load }: { doc: Doc; load: Analysis }) {
  const { select, marked } = useReading();
  const scroller = useRef<HTMLDivElement>(null);
  // Each row with the marks that stand in it.
  const rows = useMemo(() => {
    let next = 0;
    return doc.rows.map((row, i) => {
      const until = doc.rows[i + 1]?.at ?? Infinity;
      const marks: DocumentMark[] = [];
      while (next < doc.marks.length && (doc.marks[next] as DocumentMark).at < until)
        marks.push(doc.marks[next++] as DocumentMark);
      return { row, marks };
    });
  }, [doc]);
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const withMarks = useMemo(() => rows.flatMap((r, i) => (r.marks.length ? [i] : [])), [rows]);
  const step = (by: 1 | -1) => {
    const top = list.scrollOffset ?? 0;
    const here = Math.round(top / ROW);
    const next = by > 0 ? withMarks.find((i) => i > here) : withMarks.findLast((i) => i < here);
    if (next !== undefined) list.scrollToIndex(next, { align: 'start' });
  };
  useKeys({ j: () => step(1), k: () => step(-1), ArrowDown: () => step(1), ArrowUp: () => step(-1) });
  const most = Math.max(1, doc.whole.raw);
  const roundAt = doc.marks.find((m) => m.mark.what === 'first_round')?.at;
  return (
    <>
      <p className="mt-2 flex items-center gap-3 border-t border-rule-strong pt-2 text-[13px] text-ink-2">
        <span>
          {doc.marks.length} marks in {whole(doc.rows.length)} rows; <span className="key">j</span>{' '}
          <span className="key">k</span> go from one to the next.
        </span>
      </p>
      <div className="mt-1 grid min-h-0 flex-1 grid-cols-[14px_minmax(0,1fr)] gap-2">
        <svg className="h-full w-[14px]" preserveAspectRatio="none" viewBox={`0 0 14 ${most}`} aria-hidden>
          <rect width="14" height={most} fill="var(--paper)" />
          {roundAt !== undefined && <rect width="14" height={roundAt} fill="var(--soft)" />}
          {doc.marks.map((m, i) => (
            <rect
              key={i}
              x={m.mark.what === 'stop' || m.mark.what === 'largest' ? 0 : 4}
              y={m.at}
              width={m.mark.what === 'stop' || m.mark.what === 'largest' ? 14 : 6}
              height={most / 160}
              fill={
                m.mark.what === 'stop' ? 'var(--past)' : m.mark.what === 'largest' ? 'var(--ink)' : 'var(--rule-strong)'
              }
            />
          ))}
        </svg>
        <div ref={scroller} className="min-h-0 overflow-auto" tabIndex={0} aria-label="The document’s text">
          <div style={{ height: list.getTotalSize(), position: 'relative', minWidth: 700 }}>
            {list.getVirtualItems().map((item) => {
              const entry = rows[item.index];
              if (!entry) return null;
              const { row, marks } = entry;
              const past = roundAt !== undefined && row.at > roundAt;
              return (
                <div
                  key={item.index}
                  style={{ position: 'absolute', top: item.start, height: ROW, left: 0, right: 0 }}
                  className={`grid grid-cols-[46px_minmax(0,1fr)_auto] items-center gap-3 ${marks.length ? 'bg-soft/50' : ''}`}
                >
                  <span className="text-right font-mono text-[12px] text-ink-3">{row.line ?? ''}</span>
                  <span className={`truncate whitespace-pre font-mono text-[12px] ${past ? 'text-ink-2' : ''}`}>
                    {row.text}
                  </span>
                  <span className="flex items-center gap-2 text-[12px]">
                    {marks.map((m, i) => (
                      <MarkNote
                        key={i}
                        mark={m}
                        load={load}
                        on={
                          (m.mark.what === 'request' || m.mark.what === 'stop') &&
                          m.mark.request !== null &&
                          m.mark.request === marked.request
                        }
                        pick={(id) => select({ kind: 'request', id })}
                      />
                    ))}
                  </span>
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </>
  );
}

function MarkNote(props: { mark: DocumentMark; load: Analysis; on: boolean; pick: (id: number) => void }) {
  const { mark } = props.mark;
  switch (mark.what) {
    case 'request': {
      const row = props.load.requests[mark.request];
      if (!row) return null;
      return (
        <button
          className={`flex max-w-[230px] items-center gap-1 whitespace-nowrap hover:text-accent ${props.on ? 'font-semibold text-accent' : ''}`}
          title={row.url}
          onClick={() => props.pick(row.id)}
        >
          <KindTag kind={row.kind} /> <span className="truncate">{row.name}</span>
          <span className="text-ink-2">at {ms(row.start_ms)}</span>
        </button>
      );
    }
    case 'stop':
      return (
        <strong
          className="whitespace-nowrap text-past"
          title={`From ${ms(mark.from_ms)}: the script’s wait and its run`}
        >
          parser stops, {ms(mark.for_ms)}
        </strong>
      );
    case 'first_round':
      return <strong className="whitespace-nowrap">first round trip ends</strong>;
    case 'largest':
      return <strong className="whitespace-nowrap">the largest element</strong>;
    case 'inline_style':
      return <span className="whitespace-nowrap text-ink-2">inline style, {bytes(mark.bytes)}</span>;
    case 'inline_script':
      return <span className="whitespace-nowrap text-ink-2">inline script, {bytes(mark.bytes)}</span>;
  }
}
