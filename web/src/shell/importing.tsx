import { createContext, lazy, Suspense, use, useCallback, useMemo, useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { useImport } from '../api/queries';
import type { FilePage } from '../api/types';
import { whole } from '../parts/format';
import { useNotice } from './notices';

const ChoosePages = lazy(() => import('./ChoosePages'));

interface Importing {
  /** Reads files and shows what became of them; of many pages the user chooses first. */
  bring: (files: File[]) => void;
  busy: boolean;
}

const Context = createContext<Importing>({ bring: () => undefined, busy: false });

/** Files from wherever the user has them. */
export const useImporting = () => use(Context);

export function ImportProvider({ children }: { children: ReactNode }) {
  const { mutateAsync, isPending } = useImport();
  const [choice, setChoice] = useState<{ files: File[]; pages: FilePage[] } | null>(null);
  const say = useNotice();
  const navigate = useNavigate();
  const read = useCallback(
    (files: File[], chosen?: number[]) => {
      const names = files.map((f) => f.name).join(', ');
      say({ text: `Reading ${names} …` });
      mutateAsync({ files, chosen }).then(
        ({ ids, pages, traces }) => {
          if (traces.length && !ids.length && !pages.length) {
            say({ text: `${names}: ${traces.length > 1 ? `${traces.length} traces` : 'one trace'} of a server.` });
            void navigate(traces.length > 1 ? '/server-records' : `/server-records/${traces[0]}`);
            return;
          }
          if (pages.length) {
            setChoice({ files, pages });
            say({ text: `${names}: ${whole(pages.length)} pages. Choose those to keep.` });
            return;
          }
          const many = ids.length > 1;
          say({ text: many ? `${names}: ${ids.length} recordings were kept.` : `${names}: read and kept.` });
          void navigate(many ? '/recordings' : `/recordings/${ids[0]}/glance`);
        },
        (error: Error) => say({ text: error.message, bad: true }),
      );
    },
    [mutateAsync, navigate, say],
  );
  const importing = useMemo(() => ({ bring: (files: File[]) => read(files), busy: isPending }), [read, isPending]);
  return (
    <Context value={importing}>
      {children}
      {choice && (
        <Suspense>
          <ChoosePages
            pages={choice.pages}
            onClose={() => setChoice(null)}
            onChosen={(numbers) => {
              setChoice(null);
              read(choice.files, numbers);
            }}
          />
        </Suspense>
      )}
    </Context>
  );
}
