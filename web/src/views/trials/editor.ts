import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';

/** The editor in the colours of the sheet, by day and by night. */
export const looks = [
  EditorView.theme({
    '&': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', fontSize: '12.5px' },
    '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--ink)' },
    '.cm-cursor': { borderLeftColor: 'var(--ink)' },
    '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--ink-3)', borderRight: '1px solid var(--rule)' },
    '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--soft)' },
    '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--soft) !important' },
    '.cm-panels': { backgroundColor: 'var(--paper)', color: 'var(--ink)' },
    '.cm-textfield, .cm-button': {
      background: 'var(--sheet)',
      color: 'var(--ink)',
      border: '1px solid var(--rule-strong)',
    },
    '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1px solid var(--rule-strong)' },
    '.cm-deletedChunk': { backgroundColor: 'var(--paper)', color: 'var(--ink-2)' },
    '.cm-changedLine, .cm-insertedLine': { backgroundColor: 'var(--soft) !important' },
    '.cm-changedText': { background: 'none !important', borderBottom: '2px solid var(--accent)' },
    '.cm-deletedText, .cm-deletedChunk .cm-deletedText': {
      background: 'none !important',
      textDecoration: 'line-through',
      textDecorationColor: 'var(--past)',
    },
    '&.cm-merge-b .cm-changedLineGutter': { background: 'var(--accent)' },
    '.cm-deletedLineGutter': { background: 'var(--past)' },
  }),
  syntaxHighlighting(
    HighlightStyle.define([
      { tag: [tags.tagName, tags.keyword, tags.definitionKeyword], color: 'var(--script)' },
      { tag: [tags.attributeName, tags.propertyName], color: 'var(--font)' },
      { tag: [tags.string, tags.attributeValue], color: 'var(--accent)' },
      { tag: [tags.comment], color: 'var(--ink-3)', fontStyle: 'italic' },
      { tag: [tags.number, tags.color, tags.unit], color: 'var(--layout)' },
    ]),
  ),
];
