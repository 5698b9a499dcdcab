import type { Owner } from '../api/types';

/** The last part of an address's path. */
export const shortName = (url: string) => {
  const bare = url.split(/[?#]/)[0]?.replace(/\/$/, '') ?? url;
  return bare.slice(bare.lastIndexOf('/') + 1) || url;
};

/** A place in code as people write it: `slider.js:42`. */
export const placeText = (place: { url: string | null; line: number | null }) =>
  place.url ? `${shortName(place.url)}${place.line === null ? '' : `:${place.line}`}` : '';

/** What tells one owner from another: kind and name together. */
export const ownerKey = (owner: Owner) => `${owner.kind} ${owner.name}`;
