import { useState } from 'react';
import { useThread, type Analysis } from '../../api/queries';
import type { CodePlace } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { metricText, ms, plural } from '../../parts/format';
import { placeText } from '../../parts/names';
import { NotKnown } from '../../parts/states';
import { useReading } from '../../shell/reading';
import { functionName } from './Functions';

function Place({ place }: { place: CodePlace | null }) {
  const { select } = useReading();
  if (!place) return <span className="text-ink-2">not in the recording</span>;
  return (
    <button
      className="max-w-full truncate text-left font-mono text-[12px] hover:text-accent"
      title={`${functionName(place)}, ${place.url ?? ''}`}
      onClick={() => place.url && select({ kind: 'script', url: place.url })}
    >
      {functionName(place)} <span className="text-ink-2">{placeText(place)}</span>
    </button>
  );
}

function More({ all, set, count, of }: { all: boolean; set: (all: boolean) => void; count: number; of: number }) {
  if (of <= 8) return null;
  return (
    <p className="mt-1 text-[12.5px] text-ink-2">
      {count} of {of}{' '}
      <button className="text-accent" onClick={() => set(!all)}>
        {all ? 'show fewer' : 'show all'}
      </button>
    </p>
  );
}

/** Interactions: how long the page took to answer. */
export function Interactions({ load }: { load: Analysis }) {
  const { interactions, metrics } = load;
  return (
    <section className="mt-6" aria-label="Interactions">
      <h2 className="text-[18px]">
        {metrics.inp_ms === null
          ? 'Nobody interacted'
          : `INP ${metricText('inp', metrics.inp_ms)} over ${plural(interactions.length, 'interaction')}`}
      </h2>
      {interactions.length === 0 ? (
        <p className="text-[13px] text-ink-2">
          INP is not known from a load without input. Give the recording steps, such as clicking a button, to measure
          it.
        </p>
      ) : (
        <table className="mt-1 w-full text-[13px]">
          <thead>
            <tr className="border-b border-rule-strong">
              <th className="py-1">At</th>
              <th>What</th>
              <th className="text-right">
                <Ask how="From the input until the first handler began: the main thread was busy with something else.">
                  Input delay
                </Ask>
              </th>
              <th className="text-right">
                <Ask how="In the handlers of the input’s events.">Handling</Ask>
              </th>
              <th className="text-right">
                <Ask how="From the last handler’s end to the next paint.">To the paint</Ask>
              </th>
              <th className="text-right">Together</th>
              <th className="w-[30%] pl-5" aria-hidden />
            </tr>
          </thead>
          <tbody>
            {interactions.map((it, i) => {
              const most = Math.max(...interactions.map((x) => x.duration_ms));
              const part = (value: number, color: string) => (
                <span style={{ width: `${(value / most) * 100}%`, background: color }} />
              );
              return (
                <tr key={i} className="border-b border-rule">
                  <td className="py-1">{ms(it.at_ms)}</td>
                  <td className="max-w-[180px] truncate">
                    {it.kind} {it.selector && <span className="font-mono text-[12px] text-ink-2">{it.selector}</span>}
                  </td>
                  <td className="text-right">{ms(it.input_delay_ms)}</td>
                  <td className="text-right">{ms(it.handling_ms)}</td>
                  <td className="text-right">{ms(it.presentation_ms)}</td>
                  <td className="text-right font-semibold">{ms(it.duration_ms)}</td>
                  <td className="pl-5" aria-hidden>
                    <span className="flex h-2.5">
                      {part(it.input_delay_ms, 'var(--rule-strong)')}
                      {part(it.handling_ms, 'var(--data)')}
                      {part(it.presentation_ms, 'var(--image)')}
                    </span>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <NotKnown reasons={load.missing.filter((m) => m.subject === 'interactions').map((m) => m.why)} />
    </section>
  );
}

/** Style and layout that scripts forced, by the line that did. */
export function Forced() {
  const { recording, number } = useReading();
  const { data } = useThread(recording.id, number);
  const [all, setAll] = useState(false);
  if (!data?.forced.length) return null;
  const rows = all ? data.forced : data.forced.slice(0, 8);
  const sum = data.forced.reduce((total, r) => total + r.style_ms + r.layout_ms, 0);
  return (
    <section className="mt-6" aria-label="Forced style and layout">
      <h2 className="text-[18px]">
        <Ask how="A script asked for a box or a style while changes were pending, so the browser had to compute both at once instead of once a frame. The line is where it asked.">
          Forced style and layout
        </Ask>
        , {ms(sum)}
      </h2>
      <table className="mt-1 w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[52%] py-1">Line that forced it</th>
            <th className="w-[16%]">Owner</th>
            <th className="text-right">Times</th>
            <th className="text-right">Style</th>
            <th className="text-right">Layout</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r, i) => (
            <tr key={i} className="border-b border-rule">
              <td className="truncate py-1">
                <Place place={r.by} />
              </td>
              <td className="truncate text-ink-2">{r.owner.name}</td>
              <td className="text-right">{r.times}</td>
              <td className="text-right">{ms(r.style_ms)}</td>
              <td className="text-right">{ms(r.layout_ms)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <More all={all} set={setAll} count={rows.length} of={data.forced.length} />
    </section>
  );
}

/** Timers and event handlers, and who set them. */
export function Handlers() {
  const { recording, number } = useReading();
  const { data } = useThread(recording.id, number);
  const [all, setAll] = useState(false);
  if (!data?.handlers.length) return null;
  const rows = all ? data.handlers : data.handlers.slice(0, 8);
  return (
    <section className="mt-6" aria-label="Timers and handlers">
      <h2 className="text-[18px]">Timers and handlers</h2>
      <table className="mt-1 w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[17%] py-1">What</th>
            <th className="w-[39%]">
              <Ask how="For a timer the line that set it; for an event the function that handles it. Handlers that a library calls for an event stand in rows of their own, where samples tell of them.">
                Who
              </Ask>
            </th>
            <th className="w-[16%]">Owner</th>
            <th className="text-right">Runs</th>
            <th className="text-right">Longest</th>
            <th className="text-right">Together</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r, i) => (
            <tr key={i} className="border-b border-rule">
              <td className="truncate py-1">
                {r.what === 'timer' ? (r.timeout_ms === null ? 'timers' : `timer of ${ms(r.timeout_ms)}`) : r.what}
              </td>
              <td className="truncate">
                <Place place={r.by} />
              </td>
              <td className="truncate text-ink-2">{r.owner.name}</td>
              <td className="text-right">{r.runs}</td>
              <td className="text-right">{ms(r.longest_ms)}</td>
              <td className="text-right">{ms(r.total_ms)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <More all={all} set={setAll} count={rows.length} of={data.handlers.length} />
    </section>
  );
}
