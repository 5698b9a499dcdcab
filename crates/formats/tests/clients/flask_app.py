"""A small application with OpenTelemetry's own packages for Flask, Jinja and SQLite, as anybody would set it up."""

import os
import sqlite3

from flask import Flask, render_template_string
from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.flask import FlaskInstrumentor
from opentelemetry.instrumentation.jinja2 import Jinja2Instrumentor
from opentelemetry.instrumentation.sqlite3 import SQLite3Instrumentor
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor

provider = TracerProvider(resource=Resource.create({"service.name": "berth-office"}))
provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter(endpoint=os.environ["SPANS_TO"]), schedule_delay_millis=300))
trace.set_tracer_provider(provider)
Jinja2Instrumentor().instrument()
SQLite3Instrumentor().instrument()

app = Flask(__name__)
FlaskInstrumentor().instrument_app(app)

DATABASE = "/tmp/berth-office.sqlite"
PAGE = """<!doctype html><html lang="en"><title>Berths</title><h1>Berths of the north pier</h1>
<table>{% for berth in berths %}<tr><td>{{ berth[0] }}</td><td>{{ berth[1] }}</td></tr>{% endfor %}</table>"""


@app.get("/berths")
def berths():
    db = sqlite3.connect(DATABASE)
    cursor = db.cursor()
    found = cursor.execute("SELECT id, name FROM berths ORDER BY id").fetchall()
    rows = []
    for number, name in found:
        boat = cursor.execute("SELECT boat FROM moorings WHERE berth = ?", (number,)).fetchone()
        rows.append((name, boat[0] if boat else "free"))
    return render_template_string(PAGE, berths=rows)


if __name__ == "__main__":
    db = sqlite3.connect(DATABASE)
    db.executescript(
        "drop table if exists berths; drop table if exists moorings;"
        "create table berths (id integer primary key, name text); create table moorings (berth integer, boat text);"
    )
    db.executemany("insert into berths (name) values (?)", [(f"North {n}",) for n in range(1, 25)])
    db.executemany("insert into moorings values (?, ?)", [(n, f"Petrel {n}") for n in range(1, 25, 2)])
    db.commit()
    app.run(port=int(os.environ.get("PORT", "5001")))
