import { expect, test, type Locator } from '@playwright/test';
import { amount, open } from './open';

/** What a hint says under a name. */
async function told(hint: Locator, name: string): Promise<number> {
  const line = hint.locator('span.flex').filter({ hasText: new RegExp(`^${name}`) });
  const text = await line.innerText();
  return /in use/.test(text) ? 0 : amount(text.replace(name, ''));
}

test('the row under the mouse tells its phases, they add up to its duration, and the margin tells the same', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests?cols=duration&filter=vendor.js`);
  const row = page.getByRole('option', { name: /vendor\.js/ });
  await expect(row).toBeVisible();
  await expect(page.getByRole('tooltip')).toHaveCount(0);
  await row.hover();
  const hint = page.getByRole('tooltip');
  await expect(hint).toContainText('vendor.js');
  await expect(hint).toContainText(/holds up rendering until/);
  const phases: Record<string, number> = {};
  for (const phase of ['queued', 'connecting', 'waiting', 'receiving']) phases[phase] = await told(hint, phase);
  const sum = Object.values(phases).reduce((a, b) => a + b);
  const lasted = /([\d.,]+)\s*(ms|s)\b/.exec(await row.innerText());
  expect(lasted, await row.innerText()).not.toBeNull();
  // Each figure is rounded by itself.
  expect(Math.abs(sum - amount(lasted?.[0] ?? ''))).toBeLessThanOrEqual(10);
  await page.mouse.move(10, 10);
  await expect(hint).toHaveCount(0);
  // Without a mouse.
  await page.getByRole('listbox', { name: /waterfall/ }).focus();
  await page.keyboard.press('j');
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('vendor.js');
  for (const phase of ['waiting', 'receiving']) {
    const line = await margin.getByText(phase, { exact: true }).locator('..').innerText();
    expect(amount(line), phase).toBe(phases[phase]);
  }
});

test('a stretch is taken from the axis, is in the address, and a double click shows the whole load again', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests`);
  const axis = page.locator('svg.cursor-col-resize');
  const box = await axis.boundingBox();
  if (!box) throw new Error('no axis');
  const stretch = () => {
    const { searchParams } = new URL(page.url());
    return [searchParams.get('from'), searchParams.get('to')].map((at) => (at === null ? null : Number(at)));
  };
  const drag = async (from: number, to: number) => {
    await page.mouse.move(box.x + box.width * from, box.y + 25);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * to, box.y + 25, { steps: 4 });
    await page.mouse.up();
  };
  // Too short to be meant.
  await drag(0.3, 0.301);
  expect(stretch()).toEqual([null, null]);
  // Whichever way it is dragged.
  await drag(0.5, 0.25);
  await expect.poll(stretch).not.toEqual([null, null]);
  const [from, to] = stretch() as [number, number];
  const end = (to - from) / 0.25;
  expect(Math.abs(from - end * 0.25)).toBeLessThan(end * 0.01);
  // The address has it before the axis is drawn anew.
  await expect(page.getByRole('group', { name: 'Stretch of time shown' })).not.toContainText('the whole load');
  // A part of the part, and the same in another section.
  await drag(0, 0.5);
  await expect.poll(() => Math.abs((stretch()[1] ?? 0) - (from + to) / 2)).toBeLessThan(end * 0.01);
  await page.keyboard.press('5');
  await expect(page).toHaveURL(/main-thread\?.*from=/);
  await page.goBack();
  await axis.dblclick({ position: { x: box.width / 2, y: 25 } });
  await expect.poll(stretch).toEqual([null, null]);
});
