import type { RequestRow } from '../../web/src/api/types';

/** A request as the server tells it, of which only some things matter. */
export function row(id: number, more: Partial<RequestRow> = {}): RequestRow {
  return {
    id, url: `http://www.skerryline.test/file-${id}.js`, name: `file-${id}.js`, host: 'www.skerryline.test', method: 'GET', kind: 'script',
    status: 200, mime: null, protocol: 'h2', priority: 'High', final_priority: null, start_ms: id * 10, connect_start_ms: null, connect_end_ms: null,
    sent_ms: id * 10, first_byte_ms: id * 10 + 100, end_ms: id * 10 + 200, transferred_bytes: 1000, unpacked_bytes: 3000, cache: null, connection: 1,
    render_blocking: 'non_blocking', released_ms: null, owner: { name: 'site', kind: 'site' }, inserted: false,
    initiator: { kind: 'parser', url: null, line: null, stack: [] }, redirected_from: null, on_path: false, failed: null,
    asked_by: null, has_body: false, picture: null, placement: null, ...more,
  };
}
