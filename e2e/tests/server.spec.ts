import AxeBuilder from '@axe-core/playwright';
import { expect, test } from '@playwright/test';
import { account, total } from '../../web/src/views/owners/account';
import { extent, lanes, stretches } from '../../web/src/views/server/lanes';
import type { Costs, OwnerRow, ServerAnswer, SpanRow } from '../../web/src/api/types';
import { unfolded } from '../../web/src/parts/unfolded';
import { amount, measureWords } from '../../web/src/views/server/amounts';
import { open } from './open';

test('the slow plugin is found on the server, its query is named, and its fix is put into the plan', async ({ page }) => {
  const here = await open(page, 'Timetable', 'Home laptop');
  await page.keyboard.press('7');
  await expect(page).toHaveURL(new RegExp(`${here}/server`));
  await expect(page.getByRole('heading', { level: 1 })).toContainText('tide-table takes');
  const making = page.getByRole('region', { name: 'The making, on the time axis' });
  await expect(making.getByRole('img', { name: /^tide-table: 1,\d+ spans/ })).toBeVisible();
  await expect(making.getByRole('img', { name: /^harbour-guard: 1 span/ })).toBeVisible();
  await expect(page.getByRole('region', { name: 'By kind of work' })).toContainText('queries');

  const queries = page.getByRole('region', { name: 'Queries' });
  const asked = queries.getByRole('row').filter({ hasText: 'from levels where day = ?' });
  await expect(asked).toContainText('1,500');
  await expect(asked).toContainText('one at a time');
  await asked.getByRole('button', { name: /from levels/ }).click();
  await expect(asked).toContainText(/where day = \d+/);
  await queries.getByLabel(/slower than so many milliseconds/).fill('100000');
  await expect(queries).toContainText('No query took');
  await queries.getByLabel(/slower than so many milliseconds/).fill('');

  await asked.getByRole('button', { name: 'finding' }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('tide-table asks one query 1500 times');
  await page.keyboard.press('.');
  await expect(page.getByText(/^In the plan: Have the query/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(margin.getByRole('button', { name: /Add to the plan/ })).toBeEnabled();

  await page.keyboard.press('2');
  await page.getByRole('button', { name: /Server makes the page/ }).click();
  await expect(margin).toContainText('What the server did meanwhile');
  await expect(margin).toContainText(/tide-table, 1537 queries/);
  await margin.getByRole('link', { name: 'All of the server’s work' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('The server takes');
  const found = await new AxeBuilder({ page }).analyze();
  expect(found.violations.map((v) => v.id)).toEqual([]);
});

test('the slow plugin is found among the owners, told what it is for, and its fix is put into the plan', async ({ page }) => {
  await page.goto('/sites/skerryline.test/owners?sort=-server');
  await page.getByRole('combobox', { name: 'Page' }).selectOption('Timetable');
  const table = page.getByRole('table').first();
  await expect(table.locator('tbody tr').first()).toContainText('tide-table');
  await table.getByRole('button', { name: 'tide-table' }).click();
  const owner = page.getByRole('complementary', { name: 'The owner' });
  await owner.getByLabel(/What it is for/).fill('timetables');
  await owner.getByLabel(/What it is for/).press('Enter');
  await expect(owner).toContainText('plugin, for timetables');

  const here = await open(page, 'Timetable', 'Home laptop');
  await page.goto(`${here}/findings`);
  await page.getByText('tide-table asks one query 1500 times').first().click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('tide-table asks one query 1500 times');
  await expect(margin.getByRole('button', { name: /Add to the plan/ })).toBeEnabled();
  await page.keyboard.press('.');
  await expect(page.getByText(/^In the plan: Have the query/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();

  await page.goto('/sites/skerryline.test/owners?sort=-server');
  await table.getByRole('button', { name: 'tide-table' }).click();
  await owner.getByLabel(/What it is for/).fill('');
  await owner.getByLabel(/What it is for/).press('Enter');
  await expect(owner).not.toContainText('for timetables');
});

test('owners are held against each other, noted, and sorted by what each costs', async ({ page }) => {
  await page.goto('/sites/skerryline.test/owners?sort=-server');
  const table = page.getByRole('table').first();
  await expect(table.getByRole('row', { name: /^Together/ })).toBeVisible();
  await page.getByRole('combobox', { name: 'Page' }).selectOption('Timetable');
  await expect(page.getByText(/over 2 pages; each figure is a mean over these/)).toBeVisible();
  await expect(table.locator('tbody tr').first()).toContainText('tide-table');

  await table.getByRole('button', { name: 'easy-forms' }).click();
  const margin = page.getByRole('complementary', { name: 'The owner' });
  await expect(margin).toContainText('plugin, for forms by its name');
  await expect(margin.getByRole('heading', { name: 'Also for forms' })).toBeVisible();
  await expect(margin.getByRole('button', { name: 'form-builder' })).toBeVisible();
  await margin.getByLabel('Who decides').fill('Runa');
  await margin.getByLabel('Who decides').press('Enter');
  // The second edit is sent when the first is kept: a page that is left before that loses it.
  const kept = page.waitForResponse((r) => r.request().method() === 'PUT' && (r.request().postData() ?? '').includes('"needed"'));
  await margin.getByLabel('Is it needed?').selectOption('needed');
  expect((await kept).status()).toBe(204);
  await page.reload();
  await expect(margin.getByLabel('Who decides')).toHaveValue('Runa');
  await expect(margin.getByLabel('Is it needed?')).toHaveValue('needed');
  await margin.getByLabel('Is it needed?').selectOption('unknown');
  await margin.getByLabel(/What it is for/).fill('guest book');
  await margin.getByLabel(/What it is for/).press('Enter');
  await expect(margin).toContainText('plugin, for guest book');
  await expect(margin.getByRole('heading', { name: 'Also for forms' })).toHaveCount(0);
  await margin.getByLabel(/What it is for/).fill('');
  await margin.getByLabel(/What it is for/).press('Enter');
  await expect(margin).toContainText('plugin, for forms by its name');
  await margin.getByLabel('Who decides').fill('');
  await margin.getByLabel('Who decides').press('Enter');

  await page.getByRole('button', { name: 'a rule' }).click();
  await page.getByLabel('Rule 1: pattern').fill('/media/');
  await page.getByLabel('Rule 1: owner').fill('media-press');
  await expect(page.getByText(/^fits \d+ things?, such as/)).toBeVisible();
  await page.getByRole('button', { name: 'as they were' }).click();
  await expect(page.getByLabel('Rule 1: pattern')).toHaveCount(0);
  const found = await new AxeBuilder({ page }).analyze();
  expect(found.violations.map((v) => v.id)).toEqual([]);
});

test('what a server told without a browser is read from a file', async ({ page }) => {
  const trace = Array.from({ length: 32 }, () => Math.floor(Math.random() * 16).toString(16)).join('');
  const span = (id: string, parent: string, from: number, to: number, kind: number, name: string, attributes: Record<string, string>) => ({
    traceId: trace, spanId: id, parentSpanId: parent, name, kind, startTimeUnixNano: `${from}000000`, endTimeUnixNano: `${to}000000`,
    attributes: Object.entries(attributes).map(([key, stringValue]) => ({ key, value: { stringValue } })),
  });
  const spans = [
    span('b000000000000001', '', 1000, 1400, 2, 'GET /berths', { 'url.path': '/berths' }),
    span('b000000000000002', 'b000000000000001', 1050, 1350, 3, 'select', { 'db.query.text': 'select * from berths where id = 7', 'db.system.name': 'sqlite' }),
  ];
  const file = { resourceSpans: [{ resource: { attributes: [{ key: 'service.name', value: { stringValue: 'quay' } }] }, scopeSpans: [{ scope: { name: 'x' }, spans }] }] };
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles({ name: 'spans.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(file)) });
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('400 ms for http://quay/berths');
  await expect(page.getByRole('region', { name: 'Queries' })).toContainText('select * from berths where id = ?');
  await page.getByRole('link', { name: 'All server records' }).click();
  await page.getByRole('button', { name: `Delete the record of trace ${trace}` }).click();
  await expect(page.getByText(trace)).toHaveCount(0);
});

test('with a fix switched on, the way to the largest paint and the tasks stand beside the recorded ones', async ({ page }) => {
  const here = await open(page, 'Timetable', 'Home laptop');
  await page.goto(`${here}/path`);
  await page.getByRole('button', { name: 'what if …' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Take the work of tide-table off the server' }).click();
  await page.keyboard.press('Escape');
  const ways = page.getByRole('region', { name: 'As recorded, and with the fixes by forecast' });
  await expect(ways.getByRole('img', { name: /^Recorded: largest paint at .* By forecast: / })).toBeVisible();
  await expect(ways.getByRole('list', { name: 'The way by forecast' })).toContainText('until its first byte');
  await page.keyboard.press('5');
  const tasks = page.getByRole('region', { name: 'Tasks, as recorded and by forecast' });
  await expect(tasks).toContainText(/\d+ long tasks? as recorded, \d+ by forecast/);
  await page.getByRole('button', { name: 'switch all off' }).click();
  await expect(tasks).toHaveCount(0);
});

test('the way to an answer begins with the input', async ({ page }) => {
  const here = await open(page, 'Booking', 'Home laptop');
  await page.goto(`${here}/path?to=interaction:0`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/^Answer to the input at .*, \d+ ms after it$/);
  const legs = page.getByRole('list', { name: 'Legs of the path, from the input to the answer to the input' });
  await expect(legs.getByRole('button').first()).toBeVisible();
});

const owner = (name: string) => ({ name, kind: 'plugin' as const });
const costs = (more: Partial<Costs>): Costs => ({
  requests: 0, transferred_bytes: 0, main_thread_ms: null, blocking_ms: null, server_ms: null, queries: null, path_ms: null, code_bytes: null, unused_bytes: null, ...more,
});

test('an account is a mean over the pages, and what no page tells stays not known', () => {
  const row: OwnerRow = { owner: owner('a'), on: [costs({ requests: 3, server_ms: 90, code_bytes: 100, unused_bytes: 99 }), null, costs({ requests: 1 })], suggested: [] };
  const a = account(row, [0, 1, 2]);
  expect([a.pages, a.requests, a.server, a.queries, a.idle]).toEqual([2, 4 / 3, 30, null, 1]);
  expect(account(row, [1]).pages).toBe(0);
  const other = account({ owner: owner('b'), on: [costs({ server_ms: 10 }), null, null], suggested: [] }, [0, 1, 2]);
  const sum = total([a, other]);
  expect([sum.requests, sum.queries]).toEqual([4 / 3, null]);
  expect(sum.server).toBeCloseTo(100 / 3, 6);
});

const row = (more: Partial<SpanRow>): SpanRow => ({
  span: 0, parent: 0, depth: 1, name: 'x', kind: 'query', owner: owner('a'), start_ms: 0, duration_ms: 1, own_ms: 1, query: null, file: null, function: null,
  address: null, failed: null, attributes: [], ...more,
});

test('spans narrower than a pixel are drawn as one, and lanes stand in the order of work', () => {
  const many = Array.from({ length: 1000 }, (_, n) => row({ start_ms: n * 0.5, duration_ms: 0.3 }));
  expect(stretches(many, 1)).toEqual([{ kind: 'query', from: 0, to: 500.5 }]);
  const apart = [row({ start_ms: 0, duration_ms: 20 }), row({ start_ms: 100, duration_ms: 20 }), row({ kind: 'other', start_ms: 0, duration_ms: 130 })];
  expect(stretches(apart, 1).map((s) => s.kind)).toEqual(['other', 'query', 'query']);
  const answer = { sent_ms: 10, first_byte_ms: 210, spans: [row({ depth: 0, kind: 'answer', start_ms: 20, duration_ms: 150 }), row({ owner: owner('b') }), row({})] } as unknown as ServerAnswer;
  expect(lanes(answer).map((l) => l.owner.name)).toEqual(['b', 'a']);
  expect(extent(answer)).toEqual({ from: 10, to: 210 });
});

test('a profile of the server’s code is added, read by owner and function, and taken away again', async ({ page }) => {
  const here = await open(page, 'Crossing', 'Phone on the move');
  await page.goto(`${here}/server`);
  const profiles = page.getByRole('region', { name: 'Profiles' });
  await expect(profiles).toContainText('function by function');
  const file = '../crates/formats/tests/profiles/php.callgrind.gz';
  await profiles.getByLabel('Profile to add').setInputFiles(file);
  await expect(page.getByText(/was written during none of the loads: it is the page’s/)).toBeVisible();
  await profiles.getByRole('link', { name: 'php.callgrind.gz' }).click();

  const heading = page.getByRole('heading', { level: 1 });
  await expect(heading).toHaveText(/^12 ms were counted; tide-table took 5\.\d+ ms of it/);
  await expect(page.getByText('The file states 12 ms: 0.56 ms of them are in no function.')).toBeVisible();
  await page.getByLabel('What the profile is of').selectOption({ index: 1 });
  await expect(page.getByLabel('What the profile is of')).toHaveValue(/ 1$/);
  const code = page.getByRole('region', { name: 'The code' });
  await page.keyboard.press('/');
  await page.keyboard.type('levels');
  await expect(code).toContainText('1 of 25 shown');
  await code.getByRole('button', { name: /levels$/ }).click();
  const around = page.getByRole('region', { name: 'The function', exact: true });
  await expect(around).toContainText('called 24 times');
  await around.getByRole('button', { name: 'Harbour\\page' }).click();
  await expect(around).toContainText('quay/page.php');
  await page.getByLabel('Only functions with these letters').fill('');
  await code.getByRole('button', { name: 'call tree' }).click();
  const tree = page.getByRole('tree', { name: 'Tree of calls' });
  await expect(tree.getByRole('treeitem', { name: /Harbour\\page/ })).toHaveAttribute('aria-level', '2');
  await expect(code).toContainText('The file tells each call apart.');
  await code.getByRole('button', { name: 'files' }).click();
  await expect(code).toContainText('/srv/harbour/themes/quay/page.php');
  await page.getByLabel('Counted').selectOption({ label: 'Memory, in bytes' });
  await expect(heading).toContainText('kB were counted');
  const checked = await new AxeBuilder({ page }).analyze();
  expect(checked.violations.map((v) => v.id)).toEqual([]);

  await page.getByRole('button', { name: 'The server’s work' }).click();
  const broken = { name: 'x.out', mimeType: '', buffer: Buffer.from('events: Ir\nfn=a\n1 b\n') };
  await profiles.getByLabel('Profile to add').setInputFiles(broken);
  await expect(page.getByText('x.out cannot be read as a profile, from line 3 on: “b” is no cost.')).toBeVisible();
  await profiles.getByRole('button', { name: 'Delete the profile php.callgrind.gz' }).click();
  await expect(profiles).toContainText('function by function');
});

test('of a tree of calls what takes much is unfolded from the start, and what is below a folded one is not seen', () => {
  const node = (parent: number | null, total: number) => ({ parent, total });
  // 0 > 1 > 2, 0 > 3 > 4
  const nodes = [node(null, 100), node(0, 60), node(1, 5), node(0, 5), node(3, 5)];
  const rows = (turned: number[]) => unfolded(nodes, (n) => n.total, new Set(turned)).map((r) => [r.index, r.depth, r.open]);
  expect(rows([])).toEqual([[0, 0, true], [1, 1, true], [2, 2, false], [3, 1, false]]);
  expect(rows([3])).toEqual([[0, 0, true], [1, 1, true], [2, 2, false], [3, 1, true], [4, 2, false]]);
  expect(rows([0])).toEqual([[0, 0, false]]);
});

test('an amount is told in what was counted', () => {
  const measure = (unit: 'ms' | 'bytes' | 'count', name = 'x', long_name: string | null = null) => ({ unit, name, long_name, scale: 1 });
  expect(amount(measure('ms'), 1.234)).toBe('1.23 ms');
  expect(amount(measure('bytes'), -1_500)).toBe('−1.5 kB');
  expect(amount(measure('count'), 1_867_942)).toBe('1.868 M');
  expect(measureWords(measure('ms', 'Time_(10ns)'))).toBe('Time, in ms');
  expect(measureWords(measure('count', 'Ir', 'Instruction Fetches'))).toBe('Instruction Fetches');
});
