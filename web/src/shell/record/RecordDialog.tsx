import { useEffect, useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { useAbout, useOwnConditions, useRecent, useStartJob } from '../../api/queries';
import { Modal } from '../Modal';
import { AccessFields } from './AccessFields';
import { ConditionsChoice } from './ConditionsChoice';
import { LinesField, NumberField, TextField } from './fields';
import { EMPTY, pagesOf, repaired, requestOf, sizeOf, type Form } from './request';
import { StandInFields } from './StandInFields';

/** Asks what to record: one page or several, under one or several conditions. */
export default function RecordDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const about = useAbout();
  const own = useOwnConditions();
  const recordings = useRecent();
  const start = useStartJob();
  const navigate = useNavigate();
  const [form, setForm] = useState<Form>(EMPTY);
  const [repairs, setRepairs] = useState<string[]>([]);
  const change = (part: Partial<Form>) => setForm((before) => ({ ...before, ...part }));
  const standIn = about.data?.stand_in;

  // Once it is known whether there is a stand-in, and what was recorded last.
  const canOffer = !about.isPending && (Boolean(standIn) || recordings !== undefined);
  useEffect(() => {
    if (open && canOffer && !form.addresses) change({ addresses: standIn?.home ?? recordings?.[0]?.url ?? '' });
    // Only when it opens: what the user typed stays.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open, canOffer]);
  useEffect(() => {
    if (open) return;
    start.reset();
    // What opens a page is not kept longer than the dialog is open.
    change({ headers: '', cookies: '', basic: '', logIn: '', logInAt: '' });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open]);

  const known = new Map(recordings?.map((r) => [r.url, r.page]));
  if (standIn) for (const page of standIn.pages) known.set(new URL(page.path, standIn.home).toString(), page.name);
  const pages = pagesOf(form, known);
  const url = pages[0]?.url ?? '';
  const isStandIn = (address: string) =>
    Boolean(standIn && (address.startsWith(standIn.home) || address.startsWith(standIn.secure_home)));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const asked = requestOf(form, own.data ?? [], known, (address) =>
      isStandIn(address) && repairs.length ? repaired(address, repairs) : address,
    );
    start.mutate(asked, {
      onSuccess: (jobs) => {
        onOpenChange(false);
        void navigate(`/jobs/${jobs[0]?.batch}`);
      },
    });
  };
  const ready = pages.length > 0 && form.conditions.length > 0;
  return (
    <Modal
      open={open}
      onOpenChange={onOpenChange}
      title="Record pages"
      about="Each load starts a real browser with an empty cache, behind a link of these conditions."
    >
      {about.data?.browser_problem && (
        <p role="alert" className="mt-3 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
          {about.data.browser_problem} Everything else works without one.
        </p>
      )}
      <form className="mt-4 grid grid-cols-2 gap-x-4 gap-y-3" onSubmit={submit}>
        <div className="col-span-2">
          <label className="label" htmlFor="record-url">
            Address, one a line
          </label>
          <textarea
            id="record-url"
            className="field field-sizing-content max-h-[120px] font-mono text-[13px]"
            rows={1}
            value={form.addresses}
            onChange={(e) => change({ addresses: e.target.value })}
            placeholder="https://"
            spellCheck={false}
            required
          />
        </div>
        <div>
          {pages.length > 1 ? (
            <>
              <span className="label">Kind of page</span>
              <p className="text-[12.5px] text-ink-2">
                {pages.map((p) => p.page || '?').join(', ')}. To name one, write its kind before its address.
              </p>
            </>
          ) : (
            <TextField
              label="Kind of page"
              list="pages"
              value={form.page}
              change={(page) => change({ page })}
              placeholder={pages[0]?.page || 'Home, product, article …'}
            />
          )}
          <datalist id="pages">
            {[...new Set(recordings?.map((r) => r.page))].map((p) => (
              <option key={p} value={p} />
            ))}
          </datalist>
        </div>
        <NumberField
          label="Loads of each"
          min={1}
          max={20}
          usual={1}
          value={form.loads}
          change={(loads) => change({ loads })}
        />
        <ConditionsChoice
          chosen={form.conditions}
          choose={(conditions) => change({ conditions })}
          distance={form.distance}
          setDistance={(distance) => change({ distance })}
        />
        <label className="col-span-2 flex items-center gap-2 text-[13px]">
          <input type="checkbox" checked={form.again} onChange={(e) => change({ again: e.target.checked })} />
          After each, a return visit with the cache that it left
        </label>
        <details className="col-span-2" open={form.steps !== ''}>
          <summary className="label cursor-pointer">Then do something (for INP)</summary>
          <LinesField
            label="Steps of a scripted user, one a line"
            value={form.steps}
            change={(steps) => change({ steps })}
            placeholder={'click #more\ntype #name Ann\nwait 500'}
          />
        </details>
        <details className="col-span-2" open={!form.bodies || !form.spans || form.hidden !== '' || form.longest !== 45}>
          <summary className="label cursor-pointer">How long, and what is kept</summary>
          <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-2">
            <NumberField
              label="A busy load is cut off after, in seconds"
              min={5}
              max={600}
              usual={45}
              value={form.longest}
              change={(longest) => change({ longest })}
            />
            <TextField
              label="Query values not to keep"
              mono
              value={form.hidden}
              change={(hidden) => change({ hidden })}
              placeholder="token, session"
            />
            <label className="col-span-2 flex items-center gap-2 text-[13px]">
              <input type="checkbox" checked={form.bodies} onChange={(e) => change({ bodies: e.target.checked })} />
              Keep response bodies, which checks compute on; cookies and credentials are never kept
            </label>
            <label className="col-span-2 flex items-center gap-2">
              <input type="checkbox" checked={form.spans} onChange={(e) => change({ spans: e.target.checked })} />
              Ask the page’s own host to tell of its work: documents and data carry a traceparent header
            </label>
          </div>
        </details>
        <AccessFields form={form} change={change} />
        {standIn && isStandIn(url) && pages.length === 1 && (
          <StandInFields
            standIn={standIn}
            url={url}
            choose={(address, page, steps) => change({ addresses: address, page, steps })}
            setUrl={(addresses) => change({ addresses })}
            repairs={repairs}
            setRepairs={setRepairs}
          />
        )}
        {start.error && (
          <p role="alert" className="col-span-2 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
            {start.error.message}
          </p>
        )}
        <div className="sticky -bottom-5 col-span-2 mt-1 flex items-center justify-end gap-2 border-t border-rule bg-sheet py-3">
          {!form.conditions.length && (
            <span className="mr-auto text-[13px]">Choose at least one of the conditions.</span>
          )}
          <button type="button" className="btn" onClick={() => onOpenChange(false)}>
            Cancel
          </button>
          <button className="btn btn-main" disabled={!ready || start.isPending || Boolean(about.data?.browser_problem)}>
            {start.isPending ? 'Starting …' : `Record ${sizeOf(form)}`}
          </button>
        </div>
      </form>
    </Modal>
  );
}
