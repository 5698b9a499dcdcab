import type { Form } from './request';

/** What opens a page that is not public, and what its visitor does without. */
export function AccessFields({ form, change }: { form: Form; change: (part: Partial<Form>) => void }) {
  const used = form.headers || form.cookies || form.basic || form.logIn || form.logInAt;
  const lines = (key: 'headers' | 'cookies' | 'logIn' | 'blocked', words: string, hint: string) => (
    <label className="text-[12.5px]">
      <span className="block text-ink-2">{words}</span>
      <textarea
        className="field h-[54px] font-mono text-[12px]"
        value={form[key]}
        onChange={(e) => change({ [key]: e.target.value })}
        placeholder={hint}
        spellCheck={false}
        autoComplete="off"
      />
    </label>
  );
  return (
    <>
      <details className="col-span-2" open={Boolean(used)}>
        <summary className="label cursor-pointer">A page that is not public</summary>
        <p className="text-[12.5px] text-ink-2">
          Used for these recordings and never stored; recordings that use any of it do not wait through a restart.
        </p>
        <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-2">
          {lines('headers', 'Request headers, one a line', 'X-Preview: 1')}
          {lines('cookies', 'Cookies, one a line', 'seen=yes')}
          <label className="text-[12.5px]">
            <span className="block text-ink-2">User and password asked for by the server</span>
            <input
              className="field font-mono text-[12px]"
              type="password"
              autoComplete="off"
              value={form.basic}
              onChange={(e) => change({ basic: e.target.value })}
              placeholder="user:password"
            />
          </label>
          <label className="text-[12.5px]">
            <span className="block text-ink-2">Log in at</span>
            <input
              className="field font-mono text-[12px]"
              value={form.logInAt}
              onChange={(e) => change({ logInAt: e.target.value })}
              placeholder="the page itself"
            />
          </label>
          <div className="col-span-2 grid">
            {lines('logIn', 'Steps before the load, one a line', 'type #user ann\ntype #password …\nclick #enter')}
          </div>
        </div>
      </details>
      <details className="col-span-2" open={form.blocked !== ''}>
        <summary className="label cursor-pointer">Without some hosts or files</summary>
        <div className="grid">
          {lines('blocked', 'Hosts and parts of addresses that get no answer', 'chat.example\n/widgets/reviews.js')}
        </div>
      </details>
    </>
  );
}
