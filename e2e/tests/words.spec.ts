import { expect, test } from '@playwright/test';
import { bytes, day, kB, metricText, ms, plural } from '../../web/src/parts/format';
import { placeText, shortName } from '../../web/src/parts/names';
import { clampSpan, zoomAt } from '../../web/src/parts/useSpan';
import { EMPTY, pageOf, pagesOf, repaired, requestOf, sizeOf } from '../../web/src/shell/record/request';

test('times are written in ms under a second and in s from there', () => {
  expect(ms(840)).toBe('840 ms');
  expect(ms(999.4)).toBe('999 ms');
  expect(ms(999.5)).toBe('1.00 s');
  expect(ms(2314)).toBe('2.31 s');
  expect(ms(-150)).toBe('-150 ms');
  expect(ms(null)).toBe('–');
  expect(metricText('cls', 0.1)).toBe('0.100');
  expect(metricText('weight', 1_500_000)).toBe('1.50 MB');
  expect(metricText('inp', 303)).toBe('303 ms');
});

test('bytes are written in kB and MB of a thousand', () => {
  expect([0, 999, 1000, 9949, 9950, 999_499, 999_500].map(bytes)).toEqual(['0 B', '999 B', '1.0 kB', '9.9 kB', '10 kB', '999 kB', '1.00 MB']);
  expect([440, 9949, 12_600, 2_410_000].map(kB)).toEqual(['0.4', '9.9', '13', '2,410']);
  expect(bytes(undefined)).toBe('–');
  expect(plural(1, 'load')).toBe('1 load');
  expect(plural(2000, 'match', 'matches')).toBe('2,000 matches');
  expect(day('not a date')).toBe('not a date');
});

test('addresses are shortened to what tells them apart', () => {
  expect(shortName('http://a.test/plugins/deck-slider/slider.js?v=2#x')).toBe('slider.js');
  expect(shortName('http://a.test/timetable/')).toBe('timetable');
  expect(placeText({ url: 'http://a.test/b/table.js', line: 42 })).toBe('table.js:42');
  expect(placeText({ url: 'http://a.test/b/table.js', line: null })).toBe('table.js');
  expect(placeText({ url: null, line: 3 })).toBe('');
});

test('a stretch of time stays inside the load, and zooming keeps the moment under the mouse', () => {
  expect(clampSpan({ from: -50, to: 100 }, 1000)).toEqual({ from: 0, to: 150 });
  expect(clampSpan({ from: 950, to: 1100 }, 1000)).toEqual({ from: 850, to: 1000 });
  expect(clampSpan({ from: 10, to: 10.5 }, 1000)).toEqual({ from: 10, to: 12 });
  expect(clampSpan({ from: 0, to: 9999 }, 1000)).toEqual({ from: 0, to: 1000 });
  // Any zoom about any moment, there and back.
  for (const [from, to, at, factor] of [[200, 800, 300, 0.5], [0, 1000, 999, 0.2], [400, 420, 410, 0.7]] as const) {
    const near = zoomAt({ from, to }, at, factor, 1000);
    const share = (span: { from: number; to: number }) => (at - span.from) / (span.to - span.from);
    expect(share(near)).toBeCloseTo(share({ from, to }), 6);
    const back = zoomAt(near, at, 1 / factor, 1000);
    expect(back.from).toBeCloseTo(from, 6);
    expect(back.to).toBeCloseTo(to, 6);
  }
});

test('the kind of a page follows its address', () => {
  expect(pageOf('https://a.test/')).toBe('Home');
  expect(pageOf('https://a.test/index.html?x=1')).toBe('Home');
  expect(pageOf('https://a.test/log/index.php')).toBe('Log');
  expect(pageOf('https://a.test/index.old.html')).toBe('Index.old');
  expect(pageOf('https://a.test/where-we-sail/north_pier.html')).toBe('North pier');
  expect(pageOf('https://a.test/100%')).toBe('100%');
  expect(pageOf('https://a.te')).toBe('Home');
  expect(pageOf('not an address')).toBe('');
});

test('lines of addresses become pages, by what was typed, named, known or guessed', () => {
  const known = new Map([['https://a.test/b', 'Berths']]);
  expect(pagesOf({ addresses: ' https://a.test/b \n\nPier = https://a.test/c\nhttps://a.test/d', page: 'Ignored' }, known)).toEqual([
    { url: 'https://a.test/b', page: 'Berths' },
    { url: 'https://a.test/c', page: 'Pier' },
    { url: 'https://a.test/d', page: 'D' },
  ]);
  expect(pagesOf({ addresses: 'https://a.test/b', page: 'Typed' }, known)).toEqual([{ url: 'https://a.test/b', page: 'Typed' }]);
  expect(pagesOf({ addresses: 'ftp://a.test/', page: '' })).toEqual([{ url: 'ftp://a.test/', page: 'Home' }]);
  expect(pagesOf({ addresses: ' \n ', page: '' })).toEqual([]);
});

test('a form asks for every page under all of the conditions, presets with their distance', () => {
  const own = { name: 'Lobby', width: 800, height: 600, pixel_ratio: 1, mobile: false, cpu_slowdown: 1, round_trip_ms: 0, down_bits: 0, up_bits: 0, distance: 'same_city' as const };
  const form = { ...EMPTY, addresses: 'https://a.test/\nhttps://a.test/b', conditions: ['home-laptop', 'own:Lobby', 'own:Gone'], distance: 'across_an_ocean' as const, bodies: false, basic: 'u:p' };
  const asked = requestOf(form, [own], new Map(), (url) => `${url}?fix=x`);
  expect(asked.conditions).toEqual([{ preset: 'home-laptop', distance: 'across_an_ocean' }, own]);
  expect(asked.pages.map((p) => p.url)).toEqual(['https://a.test/?fix=x', 'https://a.test/b?fix=x']);
  expect(asked.no_bodies).toBe(true);
  expect(asked.access?.basic).toBe('u:p');
  expect(sizeOf({ ...form, conditions: ['home-laptop', 'own:Lobby'] })).toBe('4 recordings of 3 loads');
  expect(sizeOf({ ...EMPTY, addresses: 'https://a.test/', loads: 1 })).toBe('one load');
  expect(repaired('http://a.test/?a=1', ['hero', 'fonts'])).toBe('http://a.test/?a=1&fix=hero,fonts');
});
