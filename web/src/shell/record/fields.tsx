import type { ReactNode } from 'react';

function Labelled({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="block min-w-0">
      <span className="label">{label}</span>
      {children}
    </label>
  );
}

/** A line of text with its name above it. */
export function TextField(props: {
  label: string;
  value: string;
  change: (value: string) => void;
  placeholder?: string;
  /** Addresses and code. */
  mono?: boolean;
  /** Not shown, and not remembered by the browser. */
  secret?: boolean;
  /** Id of a list of what is usual. */
  list?: string;
}) {
  return (
    <Labelled label={props.label}>
      <input
        className={`field ${props.mono ? 'font-mono text-[12.5px]' : ''}`}
        type={props.secret ? 'password' : 'text'}
        autoComplete="off"
        list={props.list}
        value={props.value}
        onChange={(e) => props.change(e.target.value)}
        placeholder={props.placeholder}
      />
    </Labelled>
  );
}

/** A whole number between two others; `usual` stands in while nothing readable is typed. */
export function NumberField(props: {
  label: string;
  value: number;
  change: (value: number) => void;
  min: number;
  max: number;
  usual: number;
}) {
  return (
    <Labelled label={props.label}>
      <input
        type="number"
        min={props.min}
        max={props.max}
        className="field"
        value={props.value}
        onChange={(e) => props.change(e.target.valueAsNumber || props.usual)}
      />
    </Labelled>
  );
}

/** Several lines, one thing on each. */
export function LinesField(props: {
  label: string;
  value: string;
  change: (value: string) => void;
  placeholder?: string;
}) {
  return (
    <Labelled label={props.label}>
      <textarea
        className="field h-[66px] font-mono text-[12.5px]"
        value={props.value}
        onChange={(e) => props.change(e.target.value)}
        placeholder={props.placeholder}
        spellCheck={false}
        autoComplete="off"
      />
    </Labelled>
  );
}
