import { useState } from 'react';
import type { Conditions } from '../../api/types';

const DEVICE: [keyof Conditions & string, string, number][] = [
  ['width', 'Width, CSS px', 1],
  ['height', 'Height, CSS px', 1],
  ['pixel_ratio', 'Device pixels a CSS px', 0.25],
  ['cpu_slowdown', 'CPU, times slower', 0.5],
];
const LINK: [keyof Conditions & string, string, number, number][] = [
  ['round_trip_ms', 'Round trip, ms', 1, 1],
  ['down_bits', 'Down, Mbit/s (0: unshaped)', 0.01, 1e6],
  ['up_bits', 'Up, Mbit/s (0: unshaped)', 0.01, 1e6],
];

/** Writes conditions of one's own, beginning with those that are chosen. */
export function ConditionsEditor(props: {
  start: Conditions | undefined;
  error: string | undefined;
  save: (conditions: Conditions) => void;
}) {
  const [conditions, set] = useState<Conditions>(() => ({
    ...(props.start ?? {
      width: 1280,
      height: 800,
      pixel_ratio: 1,
      mobile: false,
      cpu_slowdown: 1,
      round_trip_ms: 0,
      down_bits: 0,
      up_bits: 0,
    }),
    name: '',
    distance: 'same_city',
  }));
  const change = (part: Partial<Conditions>) => set((before) => ({ ...before, ...part }));
  const number = (key: string, words: string, step: number, unit: number) => (
    <label key={key} className="text-[12.5px]">
      <span className="block text-ink-2">{words}</span>
      <input
        type="number"
        min={0}
        step={step}
        className="field"
        value={(conditions[key as keyof Conditions] as number) / unit}
        onChange={(e) => {
          const value = e.target.valueAsNumber;
          if (!Number.isNaN(value)) change({ [key]: unit === 1 ? value : Math.round(value * unit) });
        }}
      />
    </label>
  );
  return (
    <div className="mt-2 border-l-2 border-rule-strong pl-3" role="group" aria-label="Conditions of your own">
      <label className="text-[12.5px]">
        <span className="block text-ink-2">Name</span>
        <input
          className="field"
          maxLength={60}
          value={conditions.name}
          placeholder="Tablet in the lobby"
          onChange={(e) => change({ name: e.target.value })}
        />
      </label>
      <div className="mt-2 grid grid-cols-4 gap-2">{DEVICE.map(([k, w, s]) => number(k, w, s, 1))}</div>
      <div className="mt-2 grid grid-cols-3 gap-2">{LINK.map(([k, w, s, u]) => number(k, w, s, u))}</div>
      <div className="mt-2 flex items-center justify-between">
        <label className="flex items-center gap-2 text-[13px]">
          <input type="checkbox" checked={conditions.mobile} onChange={(e) => change({ mobile: e.target.checked })} />
          The page is told that it is on a phone
        </label>
        <button
          type="button"
          className="btn"
          disabled={!conditions.name.trim()}
          onClick={() => props.save({ ...conditions, name: conditions.name.trim() })}
        >
          Keep them
        </button>
      </div>
      {props.error && (
        <p role="alert" className="mt-2 border-l-4 border-past bg-paper px-3 py-1 text-[13px]">
          {props.error}
        </p>
      )}
    </div>
  );
}
