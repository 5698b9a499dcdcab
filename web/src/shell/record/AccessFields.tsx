import { LinesField, TextField } from './fields';
import type { Form } from './request';

/** What opens a page that is not public, and what its visitor does without. */
export function AccessFields({ form, change }: { form: Form; change: (part: Partial<Form>) => void }) {
  const used = form.headers || form.cookies || form.basic || form.logIn || form.logInAt;
  return (
    <>
      <details className="col-span-2" open={Boolean(used)}>
        <summary className="label cursor-pointer">A page that is not public</summary>
        <p className="text-[12.5px] text-ink-2">
          Used for these recordings and never stored; recordings that use any of it do not wait through a restart.
        </p>
        <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-2">
          <LinesField
            label="Request headers, one a line"
            value={form.headers}
            change={(headers) => change({ headers })}
            placeholder="X-Preview: 1"
          />
          <LinesField
            label="Cookies, one a line"
            value={form.cookies}
            change={(cookies) => change({ cookies })}
            placeholder="seen=yes"
          />
          <TextField
            label="User and password, if the server asks"
            mono
            secret
            value={form.basic}
            change={(basic) => change({ basic })}
            placeholder="user:password"
          />
          <TextField
            label="Log in at"
            mono
            value={form.logInAt}
            change={(logInAt) => change({ logInAt })}
            placeholder="the page itself"
          />
          <div className="col-span-2">
            <LinesField
              label="Steps before the load, one a line"
              value={form.logIn}
              change={(logIn) => change({ logIn })}
              placeholder={'type #user ann\ntype #password …\nclick #enter'}
            />
          </div>
        </div>
      </details>
      <details className="col-span-2" open={form.blocked !== ''}>
        <summary className="label cursor-pointer">Without some hosts or files</summary>
        <LinesField
          label="Hosts and parts of addresses that get no answer"
          value={form.blocked}
          change={(blocked) => change({ blocked })}
          placeholder={'chat.example\n/widgets/reviews.js'}
        />
      </details>
    </>
  );
}
