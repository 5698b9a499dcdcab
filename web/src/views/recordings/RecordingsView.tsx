import { Upload } from 'lucide-react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useAbout, useRecordingChanges, useRecordingPages } from '../../api/queries';
import type { Metric, RecordingHead } from '../../api/types';
import { DropButton } from '../../parts/DropButton';
import { Ask } from '../../parts/Ask';
import { day, METRICS, metricText, whole } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useTypedParam } from '../../parts/useTypedParam';
import { useImporting } from '../../shell/importing';
import { useRowKeys } from '../../shell/keys';
import { useNotice } from '../../shell/notices';

const SHOWN: Metric[] = ['lcp', 'fcp', 'tbt', 'inp', 'cls', 'ttfb', 'weight'];
const TEXT = { within: 'text-within', near: 'text-near', past: 'text-past' } as const;

/** A row's height in pixels. */
const ROW = 46;
const COLUMNS = 'minmax(160px, 2.2fr) 118px 100px 62px repeat(7, minmax(58px, 1fr)) 34px';

/** Every recording, newest first; of many, what is in view. */
export function RecordingsView({ onRecord }: { onRecord: () => void }) {
  const about = useAbout();
  const [words, setWords] = useTypedParam('words');
  const asked = useDeferredValue(words);
  const recordings = useRecordingPages(asked);
  const [at, setAt] = useState(0);
  const filter = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLElement>(null);
  const navigate = useNavigate();
  useEffect(() => {
    document.title = 'Recordings · Phainon';
  }, []);
  const rows = useMemo(() => recordings.data?.pages.flatMap((page) => page.rows) ?? [], [recordings.data]);
  const last = recordings.data?.pages.at(-1);
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 3,
    scrollMargin: 150,
  });
  const items = list.getVirtualItems();
  const lowest = items.at(-1)?.index ?? 0;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = recordings;
  useEffect(() => {
    if (lowest >= rows.length - 20 && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [lowest, rows.length, hasNextPage, isFetchingNextPage, fetchNextPage]);
  const go = (next: number) => {
    setAt(next);
    list.scrollToIndex(next, { align: 'auto' });
    // The row may have to be drawn first.
    requestAnimationFrame(() => document.getElementById(`recording-${rows[next]?.id}`)?.focus());
  };
  const { remove, restore } = useRecordingChanges();
  const say = useNotice();
  const [removeNow, restoreNow] = [remove.mutate, restore.mutate];
  const onDelete = useCallback(
    (id: number) =>
      removeNow(id, {
        onSuccess: () =>
          say({
            text: 'The recording was deleted. It can be brought back for a day.',
            undo: () => restoreNow(id),
          }),
        onError: (e) => say({ text: e.message, bad: true }),
      }),
    [removeNow, restoreNow, say],
  );
  useRowKeys(at, rows.length, go, {
    '/': () => filter.current?.focus(),
    Enter: () => rows[at] && void navigate(`/recordings/${rows[at].id}/glance`),
  });
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-4" ref={scroller}>
      <div className="flex items-end gap-4">
        <h1 className="text-[26px]">Recordings</h1>
        <span className="ml-auto" />
        <ImportButton />
      </div>
      {about.data?.browser_problem && (
        <p role="note" className="mt-2 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
          {about.data.browser_problem} Everything else works without one.
        </p>
      )}
      {recordings.error ? (
        <Trouble error={recordings.error} again={() => void recordings.refetch()} />
      ) : !last ? (
        <Waiting />
      ) : last.all === 0 ? (
        <Empty title="Nothing has been recorded yet">
          <p>Record a page in a real browser, or drop a recording archive, a HAR or a trace anywhere on this window.</p>
          <button className="btn btn-main mt-3" onClick={onRecord}>
            Record a page <span className="key">r</span>
          </button>
        </Empty>
      ) : (
        <>
          <div className="mt-3 flex items-center gap-3 text-[13px] text-ink-2">
            <label className="flex items-center gap-2">
              <span className="sr-only">Filter recordings</span>
              <input
                ref={filter}
                className="field w-64 font-mono text-[12.5px]"
                placeholder="filter by words  /"
                value={words}
                onChange={(e) => setWords(e.target.value)}
              />
            </label>
            <span aria-live="polite">
              {whole(last.matching)} of {whole(last.all)} recordings
            </span>
          </div>
          <div role="table" aria-label="Recordings" aria-rowcount={last.matching + 1} className="mt-3 text-[13px]">
            <div
              role="row"
              aria-rowindex={1}
              className="grid items-end gap-2 border-b border-rule-strong pb-1 font-semibold"
              style={{ gridTemplateColumns: COLUMNS }}
            >
              {['Page', 'Conditions', 'Recorded', 'Loads'].map((name) => (
                <span key={name} role="columnheader" className={name === 'Loads' ? 'text-right' : ''}>
                  {name}
                </span>
              ))}
              {SHOWN.map((m) => (
                <span key={m} role="columnheader" className="text-right">
                  <Ask how={`${METRICS[m].how} Median of the loads that did not fail.`}>{METRICS[m].short}</Ask>
                </span>
              ))}
              <span role="columnheader">
                <span className="sr-only">Delete</span>
              </span>
            </div>
            <div role="rowgroup" className="relative" style={{ height: list.getTotalSize() }}>
              {items.map((item) => {
                const recording = rows[item.index];
                return (
                  recording && (
                    <Row
                      key={recording.id}
                      recording={recording}
                      index={item.index}
                      top={item.start - list.options.scrollMargin}
                      onFocus={setAt}
                      onDelete={onDelete}
                    />
                  )
                );
              })}
            </div>
          </div>
          {rows.length === 0 && <p className="mt-4 text-ink-2">No recording has all of these words.</p>}
        </>
      )}
    </main>
  );
}

const ENDED = { recording: 'being made', cancelled: 'cancelled', broken_off: 'broken off', done: '' } as const;

const Row = memo(function Row(props: {
  recording: RecordingHead;
  index: number;
  top: number;
  onFocus: (index: number) => void;
  onDelete: (id: number) => void;
}) {
  const { recording: r, index } = props;
  const failed = r.loads.filter((l) => l.failed).length;
  const firsts = r.loads.filter((l) => l.visit === 'first').length;
  const notes = [
    r.loads.some((l) => l.visit === 'return') && 'and return',
    failed > 0 && `${failed} failed`,
    ENDED[r.ended],
  ].filter(Boolean);
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      className="absolute inset-x-0 grid items-center gap-2 border-b border-rule hover:bg-soft/50"
      style={{ top: props.top, height: ROW, gridTemplateColumns: COLUMNS }}
    >
      <span role="cell" className="min-w-0">
        <Link
          id={`recording-${r.id}`}
          to={`/recordings/${r.id}/glance`}
          onFocus={() => props.onFocus(index)}
          className="block truncate font-semibold hover:text-accent"
        >
          {r.page}
        </Link>
        <span className="block truncate font-mono text-[12px] text-ink-2" title={r.url}>
          {r.url.replace(/^https?:\/\//, '')}
        </span>
      </span>
      <span role="cell" className="line-clamp-2 [overflow-wrap:anywhere]" title={r.conditions?.name}>
        {r.conditions?.name ?? (
          <span className="text-ink-2">{r.source === 'recording' ? 'not told' : r.source.replaceAll('_', ' ')}</span>
        )}
        {r.blocked.length > 0 && (
          <span className="block truncate text-[12px] text-ink-2" title={r.blocked.join(', ')}>
            without {r.blocked.join(', ')}
          </span>
        )}
      </span>
      <span role="cell" className="whitespace-nowrap">
        {day(r.recorded_at)}
      </span>
      <span role="cell" className="text-right">
        {firsts || r.loads.length}
        {r.wanted_loads !== null && r.wanted_loads > firsts && ` of ${r.wanted_loads}`}
        {notes.length > 0 && (
          <span
            className={`block truncate text-[12px] leading-tight ${failed || r.ended !== 'done' ? 'text-past' : 'text-ink-2'}`}
            title={notes.join(', ')}
          >
            {failed || r.ended !== 'done' ? notes.slice(-1) : notes[0]}
          </span>
        )}
      </span>
      {SHOWN.map((metric) => {
        const row = r.summary?.rows.find((x) => x.metric === metric);
        return (
          <span key={metric} role="cell" className="whitespace-nowrap text-right">
            {row ? (
              <>
                {metricText(metric, row.median)}
                <span className={`block text-[12px] leading-tight ${TEXT[row.rating]}`}>{row.rating}</span>
              </>
            ) : (
              <span className="text-ink-3" title="This is not known of it.">
                –
              </span>
            )}
          </span>
        );
      })}
      <span role="cell" className="text-right">
        <DropButton
          label={`Delete the recording of ${r.page}, ${day(r.recorded_at)}`}
          drop={() => props.onDelete(r.id)}
        />
      </span>
    </div>
  );
});

function ImportButton() {
  const input = useRef<HTMLInputElement>(null);
  const { bring, busy } = useImporting();
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        className="sr-only"
        tabIndex={-1}
        aria-label="File to import"
        onChange={(e) => {
          const chosen = [...(e.target.files ?? [])];
          e.target.value = '';
          if (chosen.length) bring(chosen);
        }}
      />
      <button className="btn" disabled={busy} onClick={() => input.current?.click()}>
        <Upload size={14} aria-hidden /> {busy ? 'Reading the file …' : 'Import archive, HAR, trace or spans'}
      </button>
    </>
  );
}
