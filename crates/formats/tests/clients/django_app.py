"""A small application with OpenTelemetry's own packages for Django and SQLite, as anybody would set it up."""

import os
import sqlite3
import sys

from django.conf import settings
from django.core.management import execute_from_command_line
from django.db import connection
from django.http import HttpResponse
from django.template import engines
from django.urls import path
from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.django import DjangoInstrumentor
from opentelemetry.instrumentation.sqlite3 import SQLite3Instrumentor
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor

DATABASE = "/tmp/harbour-desk.sqlite"

settings.configure(
    DEBUG=False,
    SECRET_KEY="made up for a test",
    ALLOWED_HOSTS=["*"],
    ROOT_URLCONF=__name__,
    MIDDLEWARE=["django.middleware.common.CommonMiddleware"],
    DATABASES={"default": {"ENGINE": "django.db.backends.sqlite3", "NAME": DATABASE}},
    TEMPLATES=[{"BACKEND": "django.template.backends.django.DjangoTemplates"}],
)

provider = TracerProvider(resource=Resource.create({"service.name": "harbour-desk"}))
provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter(endpoint=os.environ["SPANS_TO"]), schedule_delay_millis=300))
trace.set_tracer_provider(provider)
DjangoInstrumentor().instrument()
SQLite3Instrumentor().instrument()

PAGE = """<!doctype html><html lang="en"><title>Arrivals</title><h1>Arrivals</h1>
<table>{% for boat in boats %}<tr><td>{{ boat.name }}</td><td>{{ boat.hours|join:", " }}</td></tr>{% endfor %}</table>"""


def arrivals(request):
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, name FROM boats ORDER BY name")
        boats = [{"id": number, "name": name} for number, name in cursor.fetchall()]
        for boat in boats:
            cursor.execute("SELECT hour FROM arrivals WHERE boat = %s", [boat["id"]])
            boat["hours"] = [row[0] for row in cursor.fetchall()]
    return HttpResponse(engines["django"].from_string(PAGE).render({"boats": boats}, request))


urlpatterns = [path("arrivals", arrivals)]

if __name__ == "__main__":
    db = sqlite3.connect(DATABASE)
    db.executescript(
        "drop table if exists boats; drop table if exists arrivals;"
        "create table boats (id integer primary key, name text); create table arrivals (boat integer, hour integer);"
    )
    db.executemany("insert into boats (name) values (?)", [(f"Petrel {n}",) for n in range(1, 19)])
    db.executemany("insert into arrivals values (?, ?)", [(n, 6 + n % 12) for n in range(1, 19)])
    db.commit()
    db.close()
    execute_from_command_line([sys.argv[0], "runserver", "--noreload", f"127.0.0.1:{os.environ.get('PORT', '5003')}"])
