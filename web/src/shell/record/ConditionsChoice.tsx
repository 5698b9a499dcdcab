import { useState } from 'react';
import { useAbout, useConditionsChanges, useOwnConditions } from '../../api/queries';
import type { Conditions, Distance } from '../../api/types';
import { ConditionsEditor } from './ConditionsEditor';

const DISTANCES: [Distance, string][] = [
  ['same_city', 'same city'],
  ['same_continent', 'same continent, +40 ms'],
  ['across_an_ocean', 'across an ocean, +180 ms'],
];

/** What a device and a link are, in a line. */
export function described(c: Conditions): string {
  const rate = (bits: number) => (bits ? `${bits / 1e6}` : 'any');
  const line =
    c.down_bits || c.up_bits || c.round_trip_ms
      ? `${c.round_trip_ms} ms round trip, ${rate(c.down_bits)} Mbit/s down, ${rate(c.up_bits)} up`
      : 'the line as it is';
  return `${c.width} × ${c.height} at ${c.pixel_ratio}×, CPU ${c.cpu_slowdown}× slower, ${line}`;
}

/** Conditions to record under: presets and one's own, one or several. */
export function ConditionsChoice(props: {
  chosen: string[];
  choose: (chosen: string[]) => void;
  distance: Distance;
  setDistance: (distance: Distance) => void;
}) {
  const about = useAbout();
  const own = useOwnConditions();
  const changes = useConditionsChanges();
  const [editing, setEditing] = useState(false);
  const presets = about.data?.presets ?? [];
  const rows: [string, Conditions][] = [
    ...presets.map((p): [string, Conditions] => [p.id, p.conditions]),
    ...(own.data ?? []).map((c): [string, Conditions] => [`own:${c.name}`, c]),
  ];
  const toggle = (id: string, on: boolean) =>
    props.choose(on ? [...props.chosen, id] : props.chosen.filter((c) => c !== id));
  return (
    <fieldset className="col-span-2 min-w-0">
      <legend className="label">Conditions, one or several</legend>
      <div className="border-y border-rule">
        {rows.map(([id, c]) => (
          <div key={id} className="flex items-baseline gap-2 border-b border-rule py-1 text-[13px] last:border-b-0">
            <label className="flex min-w-0 flex-1 items-baseline gap-2">
              <input
                type="checkbox"
                className="shrink-0 translate-y-[1px]"
                checked={props.chosen.includes(id)}
                onChange={(e) => toggle(id, e.target.checked)}
              />
              <span className="shrink-0 font-semibold">{c.name}</span>
              <span className="truncate text-[12px] text-ink-2" title={described(c)}>
                {described(c)}
              </span>
            </label>
            {id.startsWith('own:') && (
              <button
                type="button"
                className="btn btn-quiet !py-0 text-[12px]"
                aria-label={`Forget ${c.name}`}
                onClick={() => {
                  toggle(id, false);
                  changes.remove.mutate(c.name);
                }}
              >
                Forget
              </button>
            )}
          </div>
        ))}
      </div>
      <div className="mt-1.5 flex items-center gap-3 text-[13px]">
        <label className="whitespace-nowrap text-ink-2" htmlFor="record-distance">
          Distance
        </label>
        <select
          id="record-distance"
          className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
          value={props.distance}
          onChange={(e) => props.setDistance(e.target.value as Distance)}
        >
          {DISTANCES.map(([id, words]) => (
            <option key={id} value={id}>
              {words}
            </option>
          ))}
        </select>
        <button
          type="button"
          className="btn ml-auto whitespace-nowrap"
          aria-expanded={editing}
          onClick={() => setEditing((on) => !on)}
        >
          Conditions of your own …
        </button>
      </div>
      {editing && (
        <ConditionsEditor
          start={rows.find(([id]) => id === props.chosen.at(-1))?.[1]}
          error={changes.save.error?.message}
          save={(conditions) =>
            changes.save.mutate(conditions, {
              onSuccess: () => {
                setEditing(false);
                const id = `own:${conditions.name}`;
                if (!props.chosen.includes(id)) props.choose([...props.chosen, id]);
              },
            })
          }
        />
      )}
      {changes.remove.error && (
        <p role="alert" className="mt-1 border-l-4 border-past bg-paper px-3 py-1 text-[13px]">
          {changes.remove.error.message}
        </p>
      )}
    </fieldset>
  );
}
