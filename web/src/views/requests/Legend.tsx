/** What the forms of the bars mean. */
export function Legend({ both, what }: { both: boolean; what: boolean }) {
  return (
    <p className="flex flex-wrap items-center gap-x-5 border-t border-rule py-2 text-[12px] text-ink-2" aria-hidden>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <line x1="0" x2="28" y1="5" y2="5" stroke="currentColor" strokeWidth="1.6" strokeDasharray="1.5 3" />
        </svg>
        queued
      </span>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <path d="M0 3h28M0 7h28" stroke="currentColor" strokeWidth="1.3" />
        </svg>
        connecting
      </span>
      <span>
        <svg width="28" height="12" className="mr-1.5 inline">
          <rect x="0.5" y="0.5" width="27" height="11" fill="none" stroke="currentColor" />
        </svg>
        waiting
      </span>
      <span>
        <svg width="28" height="12" className="mr-1.5 inline">
          <rect width="28" height="12" fill="currentColor" />
        </svg>
        receiving
      </span>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <rect y="4" width="28" height="2.4" fill="var(--keel)" />
        </svg>
        holds up rendering
      </span>
      <span>
        <span className="mr-1.5 inline-block h-2.5 w-2.5 translate-y-px rounded-full border-[2.5px] border-ink" />
        on the path to LCP
      </span>
      {both && <span>upper bar: this visit; lower: the other</span>}
      {what && <span>lower bar: by forecast, where it moves</span>}
    </p>
  );
}
