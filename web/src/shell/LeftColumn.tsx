import { Link, NavLink, useLocation, useMatch } from 'react-router';
import { useJobs, useRecent, useRecording, useRereading } from '../api/queries';
import type { Job, RecordingHead } from '../api/types';
import { day, ms } from '../parts/format';

const link = ({ isActive }: { isActive: boolean }) =>
  `block py-[3px] ${isActive ? 'font-semibold text-ink' : 'text-ink-2 hover:text-ink'}`;

/** Jobs by what was asked for together. */
function batches(jobs: Job[]): [number, Job[]][] {
  const found = new Map<number, Job[]>();
  for (const job of jobs) found.set(job.batch, [...(found.get(job.batch) ?? []), job]);
  return [...found];
}

/** The site's screens, and the recordings of the page in hand by conditions. */
export function LeftColumn() {
  const match = useMatch('/recordings/:id/:section');
  const compared = useMatch('/compare');
  const { search } = useLocation();
  // On the comparison the page in hand is that of B, as what is new.
  const sides = new URLSearchParams(search);
  const shown = compared ? (sides.get('b') || sides.get('a') || '').split(',')[0] : match?.params.id;
  const inView = Number(shown || NaN);
  const opened = useRecording(inView, !Number.isNaN(inView));
  // All of the site's recordings where one is open: the newest of all may be of other sites.
  const recordings = useRecent(opened.data?.site);
  const { data: jobs } = useJobs();
  const { data: rereading } = useRereading();
  const planned = useMatch('/sites/:site/:screen');
  const here = recordings?.find((r) => r.id === inView);
  const site = here?.site ?? planned?.params.site ?? recordings?.[0]?.site;
  const section = match?.params.section ?? 'glance';
  const inHand = here ?? recordings?.find((r) => r.site === site);
  const groups = new Map<string, RecordingHead[]>();
  for (const r of recordings ?? []) {
    if (!inHand || r.site !== inHand.site || r.page !== inHand.page) continue;
    const key = r.conditions?.name ?? 'Imported';
    groups.set(key, [...(groups.get(key) ?? []), r]);
  }
  // The recording in hand, against the one before it of the same page.
  const newest = [...groups.values()].find((list) => list.some((r) => r.id === inHand?.id)) ?? [];
  const older = newest[newest.findIndex((r) => r.id === inHand?.id) + 1];
  const comparing = inHand ? `/compare?${older ? `a=${older.id}&` : ''}b=${inHand.id}` : '/compare';
  // A selection belongs to one load; another recording opens without it.
  const keep = new URLSearchParams(search);
  for (const key of ['sel', 'load', 'words']) keep.delete(key);
  const tail = keep.size && !compared ? `?${keep}` : '';
  return (
    <nav
      aria-label="Site and recordings"
      className="overflow-y-auto border-r border-rule-strong px-[18px] py-4 text-[13px]"
    >
      <NavLink to="/recordings" end className={link}>
        Recordings
      </NavLink>
      {site && (
        <NavLink to={`/sites/${encodeURIComponent(site)}/plan`} className={link}>
          Plan
        </NavLink>
      )}
      {site && (
        <NavLink to={`/sites/${encodeURIComponent(site)}/owners`} className={link}>
          Owners
        </NavLink>
      )}
      <NavLink to={comparing} className={link}>
        Compare
      </NavLink>
      <NavLink to="/server-records" className={link}>
        Server records
      </NavLink>
      <NavLink to="/storage" className={link}>
        Storage
      </NavLink>
      {batches(jobs ?? []).map(([batch, list]) => {
        const at = list.find((job) => job.state === 'running');
        const of = list.find((job) => job.trial_of !== null)?.trial_of;
        const to = of ? `/recordings/${of}/trials` : `/jobs/${batch}`;
        return (
          <Link key={batch} to={to} className="mt-4 block border-l-2 border-accent pl-2 text-accent">
            {at
              ? `${at.source === 'recording' ? 'Recording' : 'Trying'}, load ${Math.max(1, at.load)} of ${at.of}`
              : of
                ? 'Waiting to try'
                : 'Waiting to record'}
            {list.length > 1 && `; ${list.length - (at ? 1 : 0)} wait`}
          </Link>
        );
      })}
      {rereading && rereading.done < rereading.of && (
        <p role="status" className="mt-4 border-l-2 border-rule-strong pl-2 text-ink-2">
          Reading recordings anew for this version: {rereading.done} of {rereading.of} loads
        </p>
      )}
      {[...groups].map(([name, list]) => (
        <section key={name} className="mt-5">
          <h2 className="truncate font-sans text-[12px] font-normal text-ink-2" title={`${inHand?.page}, ${name}`}>
            {inHand?.page}, {name}
          </h2>
          <ul className="mt-1">
            {list.slice(0, 40).map((r) => (
              <li key={r.id}>
                <Link
                  to={`/recordings/${r.id}/${section}${tail}`}
                  aria-current={r.id === here?.id ? 'page' : undefined}
                  className={`flex justify-between gap-2 py-[2.5px] ${r.id === here?.id ? 'font-semibold' : 'text-ink-2 hover:text-ink'}`}
                >
                  <span className="truncate">{day(r.recorded_at)}</span>
                  <span>{ms(r.summary?.rows.find((row) => row.metric === 'lcp')?.median)}</span>
                </Link>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </nav>
  );
}
