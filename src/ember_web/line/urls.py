"""Addresses of Line."""

from django.urls import path

from ember_web.line import clock_page, pages, probes, sheet, simulation, starting, views

urlpatterns = [
    path("", views.board, name="line"),
    path("pass/", pages.pass_view, name="line-pass"),
    path("wall/", pages.wall, name="line-wall"),
    path("handover/", pages.handover, name="line-handover"),
    path("worker.js", pages.worker, name="line-worker"),
    path("state/", views.state, name="line-state"),
    path("stream/", views.stream, name="line-stream"),
    path("strip/", views.strip, name="line-strip"),
    path("events/", views.events, name="line-events"),
    path("probe/", probes.probe, name="line-probe"),
    path("clock/", clock_page.set_time, name="line-clock"),
    path("hub/", probes.hub, name="line-hub"),
    path("simulation/", simulation.page, name="line-simulation"),
    path("set-out/", starting.set_out, name="line-set-out"),
    path("start/", starting.start, name="line-start"),
    path("<slug:cook>/sheet/", sheet.sheet, name="line-sheet"),
    path("<slug:cook>/do/", views.take_form_event, name="line-do"),
]
