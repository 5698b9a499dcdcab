import type { Need, OwnerNote } from '../api/types';

/** How much an owner is needed, in words. */
export const NEEDS: Record<Need, string> = {
  unknown: 'not said',
  needed: 'needed',
  replaceable: 'can be replaced',
  not_needed: 'not needed',
};

/** Nothing is known of an owner. */
export const NO_NOTE: OwnerNote = {
  need: 'unknown',
  holds_data: false,
  ours: null,
  purposes: [],
  decides: '',
  note: '',
};
