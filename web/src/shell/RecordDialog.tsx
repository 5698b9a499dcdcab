import { useEffect, useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { useAbout, useRecent, useStartJob } from '../api/queries';
import type { Distance } from '../api/types';
import { Modal } from './Modal';

const DISTANCES: [Distance, string][] = [
  ['same_city', 'same city'],
  ['same_continent', 'same continent, +40 ms'],
  ['across_an_ocean', 'across an ocean, +180 ms'],
];

/** An address of the stand-in that asks for repairs; any other address is recorded as it was typed. */
function repaired(url: string, repairs: string[]): string {
  const [bare = '', query = ''] = url.split('?');
  const params = new URLSearchParams(query);
  params.set('fix', repairs.join(','));
  return `${bare}?${params.toString().replaceAll('%2C', ',')}`;
}

export function RecordDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const about = useAbout();
  const recordings = useRecent();
  const start = useStartJob();
  const navigate = useNavigate();
  const [url, setUrl] = useState('');
  const [page, setPage] = useState('');
  const [conditions, setConditions] = useState('phone-on-the-move');
  const [distance, setDistance] = useState<Distance>('same_city');
  const [loads, setLoads] = useState(3);
  const [repairs, setRepairs] = useState<string[]>([]);
  const [again, setAgain] = useState(true);
  const [steps, setSteps] = useState('');
  const [longest, setLongest] = useState(45);
  const [bodies, setBodies] = useState(true);
  const [hidden, setHidden] = useState('');
  const standIn = about.data?.stand_in;

  useEffect(() => {
    if (open && !url) {
      setUrl(standIn?.home ?? recordings.data?.[0]?.url ?? '');
      setPage(standIn ? 'Home' : (recordings.data?.[0]?.page ?? ''));
    }
    // Only when it opens: what the user typed stays.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open, standIn]);
  useEffect(() => {
    if (!open) start.reset();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open]);

  const ofStandIn =
    standIn !== null && standIn !== undefined && (url.startsWith(standIn.home) || url.startsWith(standIn.secure_home));
  const chosen = about.data?.presets.find((p) => p.id === conditions)?.conditions;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const address = ofStandIn && repairs.length ? repaired(url, repairs) : url;
    const kept = { no_bodies: !bodies, private: hidden, longest_s: longest };
    start.mutate(
      { url: address, page: page || null, conditions, distance, loads, return_visits: again, steps, ...kept },
      {
        onSuccess: (job) => {
          onOpenChange(false);
          void navigate(`/jobs/${job.id}`);
        },
      },
    );
  };
  return (
    <Modal
      open={open}
      onOpenChange={onOpenChange}
      title="Record a page"
      about="Each load starts a real browser with an empty cache, behind a link of these conditions."
    >
      {about.data?.browser_problem && (
        <p role="alert" className="mt-3 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
          {about.data.browser_problem} Everything else works without one.
        </p>
      )}
      <form className="mt-4 grid grid-cols-2 gap-x-4 gap-y-3" onSubmit={submit}>
        <div className="col-span-2">
          <label className="label" htmlFor="record-url">
            Address
          </label>
          <input
            id="record-url"
            className="field font-mono text-[13px]"
            value={url}
            onChange={(e) => setUrl(e.target.value)}
            placeholder="https://"
            required
          />
        </div>
        <div>
          <label className="label" htmlFor="record-page">
            Kind of page
          </label>
          <input
            id="record-page"
            className="field"
            list="pages"
            value={page}
            onChange={(e) => setPage(e.target.value)}
            placeholder="Home, product, article …"
          />
          <datalist id="pages">
            {[...new Set(recordings.data?.map((r) => r.page))].map((p) => (
              <option key={p} value={p} />
            ))}
          </datalist>
        </div>
        <div>
          <label className="label" htmlFor="record-loads">
            Loads
          </label>
          <input
            id="record-loads"
            type="number"
            min={1}
            max={20}
            className="field"
            value={loads}
            onChange={(e) => setLoads(e.target.valueAsNumber || 1)}
          />
        </div>
        <div>
          <label className="label" htmlFor="record-conditions">
            Conditions
          </label>
          <select
            id="record-conditions"
            className="field"
            value={conditions}
            onChange={(e) => setConditions(e.target.value)}
          >
            {about.data?.presets.map((p) => (
              <option key={p.id} value={p.id}>
                {p.conditions.name}
              </option>
            ))}
          </select>
        </div>
        <div>
          <label className="label" htmlFor="record-distance">
            Distance
          </label>
          <select
            id="record-distance"
            className="field"
            value={distance}
            onChange={(e) => setDistance(e.target.value as Distance)}
          >
            {DISTANCES.map(([id, words]) => (
              <option key={id} value={id}>
                {words}
              </option>
            ))}
          </select>
        </div>
        {chosen && (
          <p className="col-span-2 -mt-1 text-[12.5px] text-ink-2">
            {chosen.width} × {chosen.height} at {chosen.pixel_ratio}×, CPU {chosen.cpu_slowdown}× slower,{' '}
            {chosen.down_bits
              ? `${chosen.round_trip_ms} ms round trip, ${chosen.down_bits / 1e6} Mbit/s down, ${chosen.up_bits / 1e6} up`
              : 'the line as it is'}
            .
          </p>
        )}
        <label className="col-span-2 flex items-center gap-2 text-[13px]">
          <input type="checkbox" checked={again} onChange={(e) => setAgain(e.target.checked)} />
          After each, a return visit with the cache that it left
        </label>
        <details className="col-span-2" open={steps !== ''}>
          <summary className="label cursor-pointer">Then do something (for INP)</summary>
          <textarea
            aria-label="Steps of a scripted user, one a line"
            className="field h-[74px] font-mono text-[12.5px]"
            value={steps}
            onChange={(e) => setSteps(e.target.value)}
            placeholder={'click #more\ntype #name Ann\nwait 500'}
          />
        </details>
        <details className="col-span-2" open={!bodies || hidden !== '' || longest !== 45}>
          <summary className="label cursor-pointer">How long, and what is kept</summary>
          <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-2">
            <div>
              <label className="label" htmlFor="record-longest">
                A busy load is cut off after, in seconds
              </label>
              <input
                id="record-longest"
                type="number"
                min={5}
                max={600}
                className="field"
                value={longest}
                onChange={(e) => setLongest(e.target.valueAsNumber || 45)}
              />
            </div>
            <div>
              <label className="label" htmlFor="record-private">
                Query values not to keep
              </label>
              <input
                id="record-private"
                className="field font-mono text-[12.5px]"
                value={hidden}
                onChange={(e) => setHidden(e.target.value)}
                placeholder="token, session"
              />
            </div>
            <label className="col-span-2 flex items-center gap-2 text-[13px]">
              <input type="checkbox" checked={bodies} onChange={(e) => setBodies(e.target.checked)} />
              Keep response bodies, which checks compute on; cookies and credentials are never kept
            </label>
          </div>
        </details>
        {ofStandIn && (
          <div className="col-span-2 flex items-center gap-2 border-t border-rule pt-2 text-[13px]">
            <label className="label !mb-0" htmlFor="record-stand-in">
              Page of the stand-in
            </label>
            <select
              id="record-stand-in"
              className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
              value={standIn.pages.find((p) => new URL(url).pathname === p.path)?.path ?? ''}
              onChange={(e) => {
                const next = standIn.pages.find((p) => p.path === e.target.value);
                if (!next) return;
                setUrl(new URL(next.path, url).toString());
                setPage(next.name);
                setSteps(next.steps);
              }}
            >
              {standIn.pages.map((p) => (
                <option key={p.path} value={p.path}>
                  {p.name}
                </option>
              ))}
            </select>
            <label className="ml-3 flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={url.startsWith('https:')}
                onChange={(e) => setUrl(url.replace(/^https?:/, e.target.checked ? 'https:' : 'http:'))}
              />
              over HTTP/2
            </label>
          </div>
        )}
        {ofStandIn && (
          <fieldset className="col-span-2 border-t border-rule pt-2">
            <legend className="label pr-2">Repairs to switch on at the stand-in</legend>
            <div className="grid max-h-[150px] grid-cols-2 gap-x-3 overflow-y-auto">
              {standIn.switches.map(([id, words]) => (
                <label key={id} className="flex items-center gap-2 py-0.5 text-[13px]">
                  <input
                    type="checkbox"
                    checked={repairs.includes(id)}
                    onChange={(e) => setRepairs((on) => (e.target.checked ? [...on, id] : on.filter((o) => o !== id)))}
                  />
                  {words}
                </label>
              ))}
            </div>
          </fieldset>
        )}
        {start.error && (
          <p role="alert" className="col-span-2 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
            {start.error.message}
          </p>
        )}
        <div className="sticky -bottom-5 col-span-2 mt-1 flex justify-end gap-2 border-t border-rule bg-sheet py-3">
          <button type="button" className="btn" onClick={() => onOpenChange(false)}>
            Cancel
          </button>
          <button className="btn btn-main" disabled={start.isPending || Boolean(about.data?.browser_problem)}>
            {start.isPending ? 'Starting …' : `Record ${loads === 1 ? 'one load' : `${loads} loads`}`}
          </button>
        </div>
      </form>
    </Modal>
  );
}
