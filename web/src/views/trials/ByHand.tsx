import { css } from '@codemirror/lang-css';
import { html } from '@codemirror/lang-html';
import { javascript } from '@codemirror/lang-javascript';
import { unifiedMergeView } from '@codemirror/merge';
import { Compartment, EditorState, type Extension } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { basicSetup } from 'codemirror';
import { useEffect, useRef, useState } from 'react';
import { useBody } from '../../api/queries';
import type { HandMade, RequestRow } from '../../api/types';
import { bytes } from '../../parts/format';
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
  const body = useBody(recording.id, number, row.id, true);
  // A dialog puts its content on the screen a moment after it is opened.
  const [place, setPlace] = useState<HTMLDivElement | null>(null);
  const view = useRef<EditorView | null>(null);
  const diff = useRef(new Compartment());
  const [compared, setCompared] = useState(false);
  const original = body.data?.text ?? null;
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
  const take = async (file: File) => {
    const data = new Uint8Array(await file.arrayBuffer());
    const isText = !data.slice(0, 4000).includes(0);
    if (isText) {
      const text = new TextDecoder().decode(data);
      view.current?.dispatch({ changes: { from: 0, to: view.current.state.doc.length, insert: text } });
      return;
    }
    let binary = '';
    data.forEach((byte) => (binary += String.fromCharCode(byte)));
    onKeep({ url: row.url, text: null, base64: btoa(binary) });
  };
  return (
    <Modal open onOpenChange={(open) => !open && props.onClose()} title={row.name} about={row.url} wide>
      {body.error && <p className="mt-3 text-past">{body.error.message}</p>}
      {body.data?.cut && (
        <p className="mt-3 text-past">
          This text is too long to be edited here ({bytes(body.data.bytes)}); put a file in its place.
        </p>
      )}
      {body.data && !body.data.cut && (
        <div ref={setPlace} className="by-hand mt-3 h-[52vh] overflow-auto border border-rule-strong" />
      )}
      <div className="mt-3 flex items-center gap-3 text-[13px]">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={compared} onChange={(e) => compare(e.target.checked)} />
          Show what differs from the recorded text
        </label>
        <label className="btn">
          Put a file in its place
          <input
            type="file"
            className="sr-only"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void take(file);
            }}
          />
        </label>
        <span className="ml-auto flex gap-2">
          <button className="btn" onClick={props.onClose}>
            Cancel
          </button>
          <button
            className="btn btn-main"
            disabled={!body.data || body.data.cut}
            onClick={() => onKeep({ url: row.url, text: view.current?.state.doc.toString() ?? '' })}
          >
            Try with this
          </button>
        </span>
      </div>
    </Modal>
  );
}
