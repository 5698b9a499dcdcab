// How much the endpoint for spans takes: 200 requests a second for a minute, then 50,000 spans of one trace, with
// questions of the interface between them. Prints what was lost, how long questions took, and the program's memory.
// Usage: node spans-bench.mjs http://127.0.0.1:7460 PID [SECONDS]
import { readFile } from 'node:fs/promises';

const [, , address, pid, seconds = '60'] = process.argv;
const hex = (n, length) => n.toString(16).padStart(length, '0');
const span = (trace, id, parent) => ({
  traceId: trace, spanId: hex(id, 16), parentSpanId: parent ? hex(parent, 16) : '', name: parent ? 'select' : 'GET /', kind: parent ? 3 : 2,
  startTimeUnixNano: `${1_000_000_000 + id * 1000}`, endTimeUnixNano: `${parent ? 1_000_000_000 + id * 1000 + 900 : 1_100_000_000}`,
  attributes: [{ key: parent ? 'db.query.text' : 'url.path', value: { stringValue: parent ? `select * from berths where id = ${id}` : '/' } }],
});
const body = (spans) => JSON.stringify({ resourceSpans: [{ scopeSpans: [{ scope: { name: 'bench' }, spans }] }] });
const post = (spans) => fetch(`${address}/v1/traces`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: body(spans) });
const memory = async () => Number(/VmRSS:\s+(\d+)/.exec(await readFile(`/proc/${pid}/status`, 'utf8'))[1]) / 1000;

const before = await memory();
let [taken, later, failed, most] = [0, 0, 0, before];
const questions = [];
const pending = new Set();
const end = Date.now() + Number(seconds) * 1000;
let n = 0;
while (Date.now() < end) {
  const began = Date.now();
  for (let i = 0; i < 20; i++) {
    const trace = hex(++n, 32);
    const one = post(Array.from({ length: 10 }, (_, k) => span(trace, k + 1, k ? 1 : 0))).then(
      (answer) => (answer.status === 200 ? taken++ : answer.status === 503 ? later++ : failed++),
      () => failed++,
    );
    pending.add(one);
    void one.finally(() => pending.delete(one));
  }
  if (n % 200 === 0) {
    const asked = performance.now();
    await (await fetch(`${address}/api/recordings`)).text();
    questions.push(performance.now() - asked);
    most = Math.max(most, await memory());
  }
  await new Promise((resolve) => setTimeout(resolve, Math.max(0, 100 - (Date.now() - began))));
}
await Promise.all(pending);
questions.sort((a, b) => a - b);
const at = (share) => questions[Math.floor((questions.length - 1) * share)].toFixed(0);
console.log(`${n} requests in ${seconds} s: ${taken} taken, ${later} told to try again, ${failed} failed`);
console.log(`questions of the interface meanwhile: median ${at(0.5)} ms, slowest ${at(1)} ms`);
console.log(`memory: ${before.toFixed(0)} MB before, ${most.toFixed(0)} MB at most`);
const trace = hex(0xfeed, 32);
const large = Array.from({ length: 50_000 }, (_, k) => span(trace, k + 1, k ? 1 : 0));
let began = performance.now();
console.log(`50,000 spans of one trace, ${(body(large).length / 1e6).toFixed(1)} MB: ${(await post(large)).status} after ${(performance.now() - began).toFixed(0)} ms`);
began = performance.now();
const told = await (await fetch(`${address}/api/server-records/${trace}`)).json();
console.log(`read again: ${told[0].span_count} spans, ${told[0].queries[0].count} queries of one statement, after ${(performance.now() - began).toFixed(0)} ms`);
const kept = await (await fetch(`${address}/api/server-records`)).json();
console.log(`server records listed: ${kept.length} (500 at most); memory ${(await memory()).toFixed(0)} MB`);
