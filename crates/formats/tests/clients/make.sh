#!/bin/sh
# Has the applications answer once and keeps the spans that they send in this folder (flask-N.pb, django-N.pb,
# node-N.json).
# Needs python3 with venv, node with npm, and the registries; the tests need only the kept files.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'pkill -P $$; rm -rf "$work"' EXIT
header='traceparent: 00-0af7651916cd43dd8448eb211c80319c-00f067aa0ba902b7-01'
cd "$work"
python3 -m venv v
v/bin/pip -q install flask opentelemetry-sdk opentelemetry-exporter-otlp-proto-http \
  opentelemetry-instrumentation-flask opentelemetry-instrumentation-sqlite3 opentelemetry-instrumentation-jinja2 \
  django opentelemetry-instrumentation-django
python3 "$here/capture.py" 5011 "$here/flask" </dev/null >/dev/null 2>&1 &
SPANS_TO=http://127.0.0.1:5011/v1/traces PORT=5001 v/bin/python "$here/flask_app.py" >/dev/null 2>&1 &
python3 "$here/capture.py" 5013 "$here/django" </dev/null >/dev/null 2>&1 &
SPANS_TO=http://127.0.0.1:5013/v1/traces PORT=5003 v/bin/python "$here/django_app.py" >/dev/null 2>&1 &
npm install --silent --no-audit --no-fund express @opentelemetry/sdk-node @opentelemetry/exporter-trace-otlp-http \
  @opentelemetry/instrumentation-http @opentelemetry/instrumentation-express @opentelemetry/instrumentation-undici
cp "$here/node_app.mjs" .
python3 "$here/capture.py" 5012 "$here/node" </dev/null >/dev/null 2>&1 &
SPANS_TO=http://127.0.0.1:5012/v1/traces PORT=5002 node node_app.mjs >/dev/null 2>&1 &
sleep 6
curl -s -m 10 -o /dev/null -H "$header" http://127.0.0.1:5001/berths
curl -s -m 10 -o /dev/null -H "$header" http://127.0.0.1:5002/tides
curl -s -m 10 -o /dev/null -H "$header" http://127.0.0.1:5003/arrivals
sleep 8
