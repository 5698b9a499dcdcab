import { useEffect, useState } from 'react';
import { useImporting } from './importing';

/** Files dropped anywhere on the window are imported; tells whether one hovers over it. */
export function useDrop(): boolean {
  const [over, setOver] = useState(false);
  const { bring } = useImporting();
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
      bring(files);
    };
    window.addEventListener('dragover', onOver);
    window.addEventListener('dragleave', onLeave);
    window.addEventListener('drop', onDrop);
    return () => {
      window.removeEventListener('dragover', onOver);
      window.removeEventListener('dragleave', onLeave);
      window.removeEventListener('drop', onDrop);
    };
  }, [bring]);
  return over;
}
