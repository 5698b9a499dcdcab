import { useEffect, useState } from 'react';
import { useImport } from '../api/queries';
import { useNotice } from './notices';

/** Files dropped anywhere on the window are imported; tells whether one hovers over it. */
export function useDrop(onMade: (id: number) => void): boolean {
  const [over, setOver] = useState(false);
  const { mutateAsync } = useImport();
  const say = useNotice();
  useEffect(() => {
    const hasFiles = (e: DragEvent) => e.dataTransfer?.types.includes('Files') ?? false;
    const onOver = (e: DragEvent) => {
      if (!hasFiles(e)) return;
      e.preventDefault();
      setOver(true);
    };
    const onLeave = (e: DragEvent) => {
      if (e.relatedTarget === null) setOver(false);
    };
    const onDrop = (e: DragEvent) => {
      if (!hasFiles(e)) return;
      e.preventDefault();
      setOver(false);
      const files = [...(e.dataTransfer?.files ?? [])];
      if (!files.length) return;
      const names = files.map((f) => f.name).join(', ');
      say({ text: `Reading ${names} …` });
      mutateAsync(files).then(
        ({ ids }) => {
          say({
            text:
              ids.length > 1
                ? `${names}: ${ids.length} recordings were kept; this is the first.`
                : `${names}: read and kept.`,
          });
          if (ids[0] !== undefined) onMade(ids[0]);
        },
        (error: Error) => say({ text: error.message, bad: true }),
      );
    };
    window.addEventListener('dragover', onOver);
    window.addEventListener('dragleave', onLeave);
    window.addEventListener('drop', onDrop);
    return () => {
      window.removeEventListener('dragover', onOver);
      window.removeEventListener('dragleave', onLeave);
      window.removeEventListener('drop', onDrop);
    };
  }, [mutateAsync, onMade, say]);
  return over;
}
