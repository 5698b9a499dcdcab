import type { ReactNode } from 'react';

/** Something went wrong: what happened, what was kept, what to do. */
export function Trouble({ error, again }: { error: unknown; again?: () => void }) {
  return (
    <div role="alert" className="m-6 max-w-[620px] border-l-4 border-past bg-sheet px-5 py-4">
      <h2 className="text-lg">This could not be shown</h2>
      <p className="mt-1 text-ink-2">{error instanceof Error ? error.message : String(error)}</p>
      {again && (
        <button className="btn mt-3" onClick={again}>
          Try again
        </button>
      )}
    </div>
  );
}

/** Keeps the layout still while something is on its way. */
export function Waiting({ rows = 6 }: { rows?: number }) {
  return (
    <div className="p-6" role="status" aria-label="Loading">
      <div className="h-7 w-2/5 bg-rule opacity-50" />
      {Array.from({ length: rows }, (_, i) => (
        <div key={i} className="mt-5 h-5 bg-rule opacity-30" />
      ))}
    </div>
  );
}

/** An empty screen says what to do next. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="m-6 max-w-[620px] self-start border border-rule bg-sheet px-6 py-5">
      <h2 className="text-xl">{title}</h2>
      <div className="mt-2 text-ink-2">{children}</div>
    </div>
  );
}

/** What could not be known in a load, and why. */
export function NotKnown({ reasons }: { reasons: string[] }) {
  const each = [...new Set(reasons)];
  if (!each.length) return null;
  return (
    <div className="mt-4 border-l-2 border-rule-strong pl-3 text-[13px] text-ink-2">
      <span className="subhead">Not known here</span>
      {each.map((why) => (
        <p key={why} className="mt-1">
          {why}
        </p>
      ))}
    </div>
  );
}
