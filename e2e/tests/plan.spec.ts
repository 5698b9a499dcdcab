import { expect, test, type Page } from '@playwright/test';

// A site of its own at every try.
const SITE = `plan-keys-${Date.now()}.test`;

/** Puts three fixes into the plan of a made-up site, as the findings' button does. */
async function planned(page: Page, site: string) {
  await page.goto('/recordings');
  await page.evaluate(async (site) => {
    const names: [string, number][] = [['deck.js', 900], ['vendor.js', 400], ['tail.js', 0]];
    for (const [name, on_path_ms] of names) {
      const fix = {
        edit: { kind: 'defer_script', file: `${site}/${name}` }, owner: { name: 'site', kind: 'site' }, on_path_ms,
        finding_key: `render-blocking-script ${site}/${name}`, finding_title: `${name} holds up rendering`, recording: null, load: null, state: null, reason: null,
      };
      const answer = await fetch(`/api/sites/${site}/plan/fixes`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(fix) });
      if (!answer.ok) throw new Error(await answer.text());
    }
  }, site);
  await page.goto(`/sites/${site}/plan`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(`3 fixes for ${site}`);
}

const rows = (page: Page) => page.getByRole('row', { name: /^\d+\. / });
const order = async (page: Page) => (await rows(page).evaluateAll((all) => all.map((r) => /(\w+\.js)/.exec(r.getAttribute('aria-label') ?? '')?.[1] ?? ''))).join(' ');

/** The order that the server keeps: rows stand in a new one before that. */
const kept = (page: Page, site: string) =>
  page.evaluate(async (site) => {
    const plan = await (await fetch(`/api/sites/${site}/plan`)).json();
    return plan.fixes.map((f: { fix: { title: string } }) => /(\w+\.js)/.exec(f.fix.title)?.[1]).join(' ');
  }, site);

test('while an order is being written there is no undo of what was done before it', async ({ page }) => {
  const site = `plan-undo-${Date.now()}.test`;
  await planned(page, site);
  const undo = page.getByRole('button', { name: 'Undo' });
  await page.getByRole('button', { name: /^Move up: Defer tail\.js/ }).click();
  await expect(page.getByText(/^Moved\./)).toBeVisible();
  await expect(undo).toBeVisible();
  let letGo = () => {};
  const held = new Promise<void>((done) => (letGo = done));
  await page.route('**/order', async (route) => {
    await held;
    await route.continue();
  });
  await page.getByRole('button', { name: /^Move up: Defer tail\.js/ }).click();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');
  // At once: a notice goes by itself after some seconds.
  expect(await undo.count()).toBe(0);
  letGo();
  await undo.click();
  await expect.poll(() => kept(page, site)).toBe('deck.js tail.js vendor.js');
});

test('two moves before the first is drawn are two moves', async ({ page }) => {
  const site = `plan-twice-${Date.now()}.test`;
  await planned(page, site);
  await rows(page).nth(2).evaluate(async (row) => {
    const press = () => row.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', altKey: true, bubbles: true }));
    press();
    // Promises are kept meanwhile, and nothing is drawn.
    for (let n = 0; n < 100; n += 1) await Promise.resolve();
    press();
  });
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');
  await expect.poll(() => kept(page, site)).toBe('tail.js deck.js vendor.js');
});

test('a plan is put into order without a mouse, and the order can be taken back', async ({ page }) => {
  await planned(page, SITE);
  expect(await order(page)).toBe('deck.js vendor.js tail.js');
  await expect(rows(page).nth(0)).toContainText('900 ms');
  await expect(rows(page).nth(2)).toContainText('off it');

  await rows(page).nth(2).focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect.poll(() => order(page)).toBe('deck.js tail.js vendor.js');
  await expect(page.getByText('In your own order.')).toBeVisible();
  await page.getByRole('button', { name: /^Move up: Defer tail\.js/ }).click();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');
  await expect(page.getByRole('button', { name: /^Move up: Defer tail\.js/ })).toBeDisabled();
  await expect.poll(() => kept(page, SITE)).toBe('tail.js deck.js vendor.js');
  await page.reload();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');

  // The keys go with the fix: pressed twice, it goes down twice, and both moves stay.
  await rows(page).nth(0).focus();
  await page.keyboard.press('Alt+ArrowDown');
  await page.keyboard.press('Alt+ArrowDown');
  await expect.poll(() => order(page)).toBe('deck.js vendor.js tail.js');
  await expect(rows(page).nth(2)).toBeFocused();
  await page.keyboard.press('Alt+ArrowUp');
  await page.keyboard.press('Alt+ArrowUp');
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');
  await expect.poll(() => kept(page, SITE)).toBe('tail.js deck.js vendor.js');
  await page.reload();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');

  // With the mouse: the last onto the first.
  await rows(page).nth(2).dragTo(rows(page).nth(0));
  await expect.poll(() => order(page)).toBe('vendor.js tail.js deck.js');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');

  await page.getByRole('button', { name: 'Order by milliseconds on the path' }).click();
  await expect.poll(() => order(page)).toBe('deck.js vendor.js tail.js');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(() => order(page)).toBe('tail.js deck.js vendor.js');
});

test('a fix is set aside with its reason, opened again, done, and taken out, each with a way back', async ({ page }) => {
  // A site of its own at every try.
  const site = `plan-states-${Date.now()}.test`;
  await planned(page, site);
  const state = (name: string) => page.getByLabel(new RegExp(`^State of: Defer ${name}`));
  await state('deck.js').selectOption('set_aside');
  const dialog = page.getByRole('dialog', { name: 'Set aside, and why' });
  await dialog.getByRole('button', { name: 'Set it aside' }).click();
  // Without a reason nothing happens.
  await expect(dialog).toBeVisible();
  await dialog.getByLabel('Reason, for whoever asks later').fill('The booking needs it first.');
  await dialog.getByRole('button', { name: 'Set it aside' }).click();
  const aside = page.getByRole('region', { name: 'Set aside' });
  await expect(aside).toContainText('because: The booking needs it first.');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(`2 fixes for ${site}`);
  await aside.getByRole('button', { name: 'Open it again' }).click();
  await expect(aside).toBeHidden();
  expect(await order(page)).toBe('deck.js vendor.js tail.js');

  await state('deck.js').selectOption('done');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(`3 fixes for ${site}, 1 done`);
  // A finger rests on the button for a moment: it must not move away meanwhile.
  await page.getByRole('button', { name: /^Take out of the plan: Defer vendor\.js/ }).click({ delay: 150 });
  // What is made stands below what is to be made.
  await expect.poll(() => order(page)).toBe('tail.js deck.js');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(async () => (await order(page)).split(' ').toSorted().join(' ')).toBe('deck.js tail.js vendor.js');
});
