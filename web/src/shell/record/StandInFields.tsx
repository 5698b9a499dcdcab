import type { StandInAbout } from '../../api/types';

/** What only the bundled stand-in offers: its pages, a second protocol, and repairs to switch on. */
export function StandInFields(props: {
  standIn: StandInAbout;
  url: string;
  choose: (url: string, page: string, steps: string) => void;
  setUrl: (url: string) => void;
  repairs: string[];
  setRepairs: (repairs: string[]) => void;
}) {
  const { standIn, url, repairs } = props;
  return (
    <>
      <div className="col-span-2 flex items-center gap-2 border-t border-rule pt-2 text-[13px]">
        <label className="label !mb-0" htmlFor="record-stand-in">
          Page of the stand-in
        </label>
        <select
          id="record-stand-in"
          className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
          value={standIn.pages.find((p) => URL.parse(url)?.pathname === p.path)?.path ?? ''}
          onChange={(e) => {
            const next = standIn.pages.find((p) => p.path === e.target.value);
            if (next) props.choose(new URL(next.path, url).toString(), next.name, next.steps);
          }}
        >
          {standIn.pages.map((p) => (
            <option key={p.path} value={p.path}>
              {p.name}
            </option>
          ))}
        </select>
        <label className="ml-3 flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={url.startsWith('https:')}
            onChange={(e) => props.setUrl(url.replace(/^https?:/, e.target.checked ? 'https:' : 'http:'))}
          />
          over HTTP/2
        </label>
      </div>
      <fieldset className="col-span-2 border-t border-rule pt-2">
        <legend className="label pr-2">Repairs to switch on at the stand-in</legend>
        <div className="grid max-h-[150px] grid-cols-2 gap-x-3 overflow-y-auto">
          {standIn.switches.map(([id, words]) => (
            <label key={id} className="flex items-center gap-2 py-0.5 text-[13px]">
              <input
                type="checkbox"
                checked={repairs.includes(id)}
                onChange={(e) =>
                  props.setRepairs(e.target.checked ? [...repairs, id] : repairs.filter((o) => o !== id))
                }
              />
              {words}
            </label>
          ))}
        </div>
      </fieldset>
    </>
  );
}
