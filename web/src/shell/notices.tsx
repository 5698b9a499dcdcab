import { createContext, use, useCallback, useEffect, useMemo, useState, type ReactNode } from 'react';

interface Notice {
  text: string;
  bad?: boolean;
  /** Takes back what was just done. */
  undo?: () => void;
}

const Context = createContext<(notice: Notice) => void>(() => undefined);

/** Says something at the foot of the window; with an undo where there is one. */
export const useNotice = () => use(Context);

export function NoticeProvider({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<(Notice & { at: number }) | null>(null);
  const say = useCallback((next: Notice) => setNotice({ ...next, at: Date.now() }), []);
  useEffect(() => {
    if (!notice || notice.bad) return;
    const timer = setTimeout(() => setNotice(null), 9000);
    return () => clearTimeout(timer);
  }, [notice]);
  const close = useMemo(() => () => setNotice(null), []);
  return (
    <Context value={say}>
      {children}
      <div
        role="status"
        aria-live="polite"
        className="pointer-events-none fixed inset-x-0 bottom-4 z-50 flex justify-center"
      >
        {notice && (
          <div
            className={`pointer-events-auto flex max-w-[640px] items-center gap-4 rounded border bg-ink px-4 py-2 text-[13px] text-paper ${notice.bad ? 'border-past' : 'border-ink'}`}
          >
            <span>{notice.text}</span>
            {notice.undo && (
              <button
                className="font-semibold underline underline-offset-2"
                onClick={() => {
                  notice.undo?.();
                  close();
                }}
              >
                Undo
              </button>
            )}
            <button className="opacity-80" onClick={close} aria-label="Close this notice">
              ×
            </button>
          </div>
        )}
      </div>
    </Context>
  );
}
