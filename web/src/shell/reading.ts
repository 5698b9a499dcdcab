import { useOutletContext } from 'react-router';
import type { Analysis } from '../api/queries';
import type { Finding, RecordingHead } from '../api/types';
import type { Marked, Selection } from './selection';

/** What every section of a recording works on. */
export interface Reading {
  recording: RecordingHead;
  load: Analysis;
  number: number;
  selection: Selection;
  select: (next: Selection) => void;
  marked: Marked;
  /** The first visit and the return visit that the load in hand belongs to, by their numbers. */
  pair: { first: number; again: number } | undefined;
  /** The other one of the two. */
  other: Analysis | undefined;
  /** Whether a finding's fix is in the plan already. */
  planned: (finding: Finding) => boolean;
  addToPlan: (finding: Finding) => void;
}

export const useReading = () => useOutletContext<Reading>();
