// A small application with OpenTelemetry's own packages for Node: http and a router, and a client of another service.
import { NodeSDK } from '@opentelemetry/sdk-node';
import { OTLPTraceExporter } from '@opentelemetry/exporter-trace-otlp-http';
import { HttpInstrumentation } from '@opentelemetry/instrumentation-http';
import { ExpressInstrumentation } from '@opentelemetry/instrumentation-express';
import { UndiciInstrumentation } from '@opentelemetry/instrumentation-undici';
import { createRequire } from 'node:module';

const sdk = new NodeSDK({
  serviceName: 'tide-desk',
  traceExporter: new OTLPTraceExporter({ url: process.env.SPANS_TO }),
  instrumentations: [new HttpInstrumentation(), new ExpressInstrumentation(), new UndiciInstrumentation()],
});
sdk.start();
// After the instrumentation: it wraps what is loaded from then on.
const express = createRequire(import.meta.url)('express');
const app = express();
const port = Number(process.env.PORT ?? 5002);
app.use(function harbourGuard(request, response, next) {
  setTimeout(next, 20);
});
app.get('/level', (request, response) => response.json({ level: 2.4 }));
app.get('/tides', async (request, response) => {
  const levels = [];
  for (const harbour of ['anvil', 'gull', 'tern']) {
    const answer = await fetch(`http://127.0.0.1:${port}/level?harbour=${harbour}`);
    levels.push(await answer.json());
  }
  response.send(`<!doctype html><html lang="en"><title>Tides</title><h1>Tides</h1><p>${levels.map((l) => l.level).join(', ')} m</p>`);
});
app.listen(port);
