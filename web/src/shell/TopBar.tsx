import { Moon, Sun, SunMoon } from 'lucide-react';
import { useState } from 'react';
import { Link, useMatch } from 'react-router';
import { useRecording } from '../api/queries';
import { day, plural } from '../parts/format';
import { setTheme, theme, type Theme } from './theme';

const NEXT: Record<Theme, Theme> = { system: 'day', day: 'night', night: 'system' };
const ICON = { system: SunMoon, day: Sun, night: Moon };

export function TopBar({ onRecord, onHelp }: { onRecord: () => void; onHelp: () => void }) {
  const [now, setNow] = useState(theme());
  const Icon = ICON[now];
  return (
    <header className="flex items-center gap-5 border-b border-rule-strong bg-paper px-[18px]">
      <Link to="/recordings" className="font-serif text-[23px] leading-none" aria-label="Phainon: all recordings">
        Phain<span style={{ color: 'var(--near)' }}>o</span>n
      </Link>
      <Crumbs />
      <span className="ml-auto" />
      <button
        className="btn btn-quiet"
        onClick={() => {
          setTheme(NEXT[now]);
          setNow(NEXT[now]);
        }}
        aria-label={`Colours: ${now}. Change to ${NEXT[now]}.`}
      >
        <Icon size={15} aria-hidden /> {now}
      </button>
      <button className="btn btn-quiet" onClick={onHelp}>
        Keys <span className="key">?</span>
      </button>
      <button className="btn btn-main" onClick={onRecord}>
        Record <span className="key">r</span>
      </button>
    </header>
  );
}

function Crumbs() {
  const match = useMatch('/recordings/:id/*');
  const plan = useMatch('/sites/:site/plan');
  const compare = useMatch('/compare');
  const id = Number(match?.params.id);
  if (compare) return <Trail parts={['Compare']} />;
  if (plan) return <Trail parts={[plan.params.site ?? '', 'Plan']} />;
  return Number.isInteger(id) ? <RecordingCrumbs id={id} /> : null;
}

function RecordingCrumbs({ id }: { id: number }) {
  const { data } = useRecording(id);
  if (!data) return null;
  const loads = plural(data.loads.length, 'load');
  return (
    <Trail
      parts={[
        data.site,
        data.page,
        data.conditions?.name ?? (data.source === 'recording' ? 'no conditions' : data.source),
        `${day(data.recorded_at)} · ${loads}`,
      ]}
    />
  );
}

function Trail({ parts }: { parts: string[] }) {
  return (
    <nav
      aria-label="Where you are"
      className="flex min-w-0 items-center gap-2 overflow-hidden whitespace-nowrap text-[13px]"
    >
      {parts.map((part, i) => (
        <span key={i} className={`truncate ${i < 2 ? 'font-semibold' : 'text-ink-2'}`} title={part}>
          {i > 0 && <span className="mr-2 font-normal text-ink-3">/</span>}
          {part}
        </span>
      ))}
    </nav>
  );
}
