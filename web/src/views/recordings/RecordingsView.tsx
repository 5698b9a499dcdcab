import { Trash2, Upload } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useAbout, useImport, useRecordingChanges, useRecordings } from '../../api/queries';
import type { Metric, RecordingHead } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { day, METRICS, metricText } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useRowKeys } from '../../shell/keys';
import { useNotice } from '../../shell/notices';

const SHOWN: Metric[] = ['lcp', 'fcp', 'tbt', 'inp', 'cls', 'ttfb', 'weight'];
const TEXT = { within: 'text-within', near: 'text-near', past: 'text-past' } as const;

/** Every recording, newest first. */
export function RecordingsView({ onRecord }: { onRecord: () => void }) {
  const recordings = useRecordings();
  const about = useAbout();
  const [words, setWords] = useState('');
  const [at, setAt] = useState(0);
  const filter = useRef<HTMLInputElement>(null);
  const list = useRef<HTMLTableSectionElement>(null);
  const navigate = useNavigate();
  useEffect(() => {
    document.title = 'Recordings · Phainon';
  }, []);
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = (recordings.data ?? []).filter((r) => {
    const text =
      `${r.site} ${r.page} ${r.url} ${r.conditions?.name ?? ''} ${r.source} ${r.imported_from ?? ''}`.toLowerCase();
    return wanted.every((w) => text.includes(w));
  });
  const go = (next: number) => {
    setAt(next);
    list.current?.rows[next]?.querySelector('a')?.focus();
  };
  useRowKeys(at, shown.length, go, {
    '/': () => filter.current?.focus(),
    Enter: () => shown[at] && void navigate(`/recordings/${shown[at].id}/glance`),
  });
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-4">
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
      ) : !recordings.data ? (
        <Waiting />
      ) : recordings.data.length === 0 ? (
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
            <span>
              {shown.length} of {recordings.data.length} recordings
            </span>
          </div>
          <table className="mt-3 w-full text-[13px]">
            <thead>
              <tr className="border-b border-rule-strong">
                <th className="py-1.5">Page</th>
                <th>Conditions</th>
                <th>Recorded</th>
                <th className="text-right">Loads</th>
                {SHOWN.map((m) => (
                  <th key={m} className="pl-3 text-right">
                    <Ask how={`${METRICS[m].how} Median of the loads.`}>{METRICS[m].short}</Ask>
                  </th>
                ))}
                <th>
                  <span className="sr-only">Delete</span>
                </th>
              </tr>
            </thead>
            <tbody ref={list}>
              {shown.map((r, i) => (
                <Row key={r.id} recording={r} onFocus={() => setAt(i)} />
              ))}
            </tbody>
          </table>
          {shown.length === 0 && <p className="mt-4 text-ink-2">No recording has all of these words.</p>}
        </>
      )}
    </main>
  );
}

function Row({ recording: r, onFocus }: { recording: RecordingHead; onFocus: () => void }) {
  const { remove, restore } = useRecordingChanges();
  const say = useNotice();
  const failed = r.loads.filter((l) => l.failed).length;
  const to = `/recordings/${r.id}/glance`;
  return (
    <tr className="border-b border-rule hover:bg-soft/50">
      <td className="max-w-[250px] py-1.5">
        <Link to={to} onFocus={onFocus} className="block truncate font-semibold hover:text-accent">
          {r.page}
        </Link>
        <span className="block truncate font-mono text-[12px] text-ink-2" title={r.url}>
          {r.url.replace(/^https?:\/\//, '')}
        </span>
      </td>
      <td className="pr-2">
        {r.conditions?.name ?? (
          <span className="text-ink-2">{r.source === 'recording' ? 'not told' : r.source.replaceAll('_', ' ')}</span>
        )}
      </td>
      <td className="whitespace-nowrap pr-2">{day(r.recorded_at)}</td>
      <td className="text-right">
        {r.loads.filter((l) => l.visit === 'first').length || r.loads.length}
        {r.loads.some((l) => l.visit === 'return') && (
          <span className="block text-[12px] leading-tight text-ink-2">and return</span>
        )}
        {failed > 0 && <span className="block text-[12px] text-past">{failed} failed</span>}
      </td>
      {SHOWN.map((metric) => {
        const row = r.summary?.rows.find((x) => x.metric === metric);
        return (
          <td key={metric} className="whitespace-nowrap pl-3 text-right">
            {row ? (
              <>
                {metricText(metric, row.median)}
                <span className={`block text-[12px] leading-tight ${TEXT[row.rating]}`}>{row.rating}</span>
              </>
            ) : (
              <span className="text-ink-3" title="This file does not tell.">
                –
              </span>
            )}
          </td>
        );
      })}
      <td className="pl-2 text-right">
        <button
          className="btn btn-quiet"
          aria-label={`Delete the recording of ${r.page}, ${day(r.recorded_at)}`}
          onClick={() =>
            remove.mutate(r.id, {
              onSuccess: () =>
                say({
                  text: 'The recording was deleted. It can be brought back for a day.',
                  undo: () => restore.mutate(r.id),
                }),
              onError: (e) => say({ text: e.message, bad: true }),
            })
          }
        >
          <Trash2 size={14} aria-hidden />
        </button>
      </td>
    </tr>
  );
}

function ImportButton() {
  const input = useRef<HTMLInputElement>(null);
  const files = useImport();
  const say = useNotice();
  const navigate = useNavigate();
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
          if (!chosen.length) return;
          files.mutate(chosen, {
            onSuccess: ({ ids }) => void navigate(ids.length === 1 ? `/recordings/${ids[0]}/glance` : '/recordings'),
            onError: (error) => say({ text: error.message, bad: true }),
          });
        }}
      />
      <button className="btn" disabled={files.isPending} onClick={() => input.current?.click()}>
        <Upload size={14} aria-hidden /> {files.isPending ? 'Reading the file …' : 'Import archive, HAR or trace'}
      </button>
    </>
  );
}
