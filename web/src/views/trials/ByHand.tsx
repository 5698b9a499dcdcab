import { css } from '@codemirror/lang-css';
import { html } from '@codemirror/lang-html';
import { javascript } from '@codemirror/lang-javascript';
import { unifiedMergeView } from '@codemirror/merge';
import { Compartment, EditorState, type Extension } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { basicSetup } from 'codemirror';
import { useEffect, useRef, useState } from 'react';
import { useFileText } from '../../api/trials';
import type { HandMade, RequestRow } from '../../api/types';
import { Modal } from '../../shell/Modal';
import { useReading } from '../../shell/reading';
import { looks } from './editor';

function language(kind: RequestRow['kind']): Extension {
  if (kind === 'style') return css();
  return kind === 'script' ? javascript() : html();
}

/** Edits a kept text response, with search, undo and a look at what differs; or puts a file in its place. */
export default function ByHand(props: {
  row: RequestRow;
  before: HandMade | undefined;
  onClose: () => void;
  onKeep: (made: HandMade) => void;
}) {
  const { row, before, onKeep } = props;
  const { recording, number } = useReading();
  const file = useFileText(recording.id, number, row.id);
  // A dialog puts its content on the screen a moment after it is opened.
  const [place, setPlace] = useState<HTMLDivElement | null>(null);
  const view = useRef<EditorView | null>(null);
  const diff = useRef(new Compartment());
  const [compared, setCompared] = useState(false);
  const original = file.data?.text ?? null;
  const start = before?.text ?? original;
  useEffect(() => {
    if (!place || start === null) return;
    const made = new EditorView({
      parent: place,
      state: EditorState.create({
        doc: start,
        extensions: [
          looks,
          basicSetup,
          language(row.kind),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': `Text of ${row.name}` }),
          diff.current.of([]),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, [place, start, row.kind, row.name]);
  const compare = (on: boolean) => {
    setCompared(on);
    view.current?.dispatch({
      effects: diff.current.reconfigure(
        on && original !== null ? unifiedMergeView({ original, mergeControls: false }) : [],
      ),
    });
  };
  const take = async (given: File) => {
    const data = new Uint8Array(await given.arrayBuffer());
    if (view.current && !data.slice(0, 4000).includes(0)) {
      const text = new TextDecoder().decode(data);
      view.current.dispatch({ changes: { from: 0, to: view.current.state.doc.length, insert: text } });
      return;
    }
    const binary = Array.from(data, (byte) => String.fromCharCode(byte)).join('');
    onKeep({ url: row.url, text: null, base64: btoa(binary) });
  };
  return (
    <Modal open onOpenChange={(open) => !open && props.onClose()} title={row.name} about={row.url} wide>
      {file.error && <p className="mt-3 text-past">{file.error.message}</p>}
      {file.data &&
        (original === null ? (
          <p className="mt-3 text-ink-2">This is no text; another file can be put in its place.</p>
        ) : (
          <div ref={setPlace} className="mt-3 h-[52vh] overflow-auto border border-rule-strong" />
        ))}
      <div className="mt-3 flex items-center gap-3 text-[13px]">
        {original !== null && (
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={compared} onChange={(e) => compare(e.target.checked)} />
            Show what differs from the recorded text
          </label>
        )}
        <label className="btn">
          Put a file in its place
          <input
            type="file"
            className="sr-only"
            onChange={(e) => {
              const given = e.target.files?.[0];
              if (given) void take(given);
            }}
          />
        </label>
        <span className="ml-auto flex gap-2">
          <button className="btn" onClick={props.onClose}>
            Cancel
          </button>
          <button
            className="btn btn-main"
            disabled={original === null}
            onClick={() => onKeep({ url: row.url, text: view.current?.state.doc.toString() ?? '' })}
          >
            Try with this
          </button>
        </span>
      </div>
    </Modal>
  );
}
