"""Line: what is on heat, what is the next move, in how long."""

from __future__ import annotations

import asyncio
import json
import uuid
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

from asgiref.sync import sync_to_async
from django.contrib import messages
from django.db import connections
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import InputError
from ember_core.wording.message import spoken
from ember_web.kitchens.actions.set_clock import RATES
from ember_web.line.actions.take_events import take_events
from ember_web.line.clock import kitchen_time
from ember_web.line.live import line_text
from ember_web.line.models import Cook
from ember_web.line.pages import line_context
from ember_web.line.publisher import Crowded, Ear, streams
from ember_web.line.sheet import form_event
from ember_web.line.today import today_of
from ember_web.tenancy.access import KitchenRequest, attach, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, voice_of

ADMITTING = ThreadPoolExecutor(2, thread_name_prefix="admit")  # however many come at once: two connections
SAYING = ThreadPoolExecutor(2, thread_name_prefix="say")  # it asks nothing of the database
STREAM_LIFE_S = 3600.0  # who may look is asked anew meanwhile, every few seconds
BEAT_S = 15.0


class Stream(StreamingHttpResponse):
    """A stream whose place is given back however it ends, even when its body was never begun."""

    release: Callable[[], object] = staticmethod(lambda: None)

    def close(self) -> None:
        """Called by the server at the end of every response."""
        self.release()
        super().close()


@in_kitchen()
@require_safe
def board(request: KitchenRequest) -> HttpResponse:
    """The board: complete without scripts, taken over by them when they run."""
    more = {
        "rates": RATES,
        "can_clock": request.role == "chef" and request.kitchen.simulated,
        "today": today_of(request.kitchen, request.kitchen.now()),
    }
    return render(request, "line/line.html", line_context(request) | more)


@in_kitchen(answers_json=True)
@require_safe
def state(request: KitchenRequest) -> HttpResponse:
    """The state document: the whole, or with ``?since=`` what changed since that revision."""
    text = line_text(request.kitchen, current(), request.GET.get("since", ""))
    reply = HttpResponse(text, content_type="application/json")
    reply["Cache-Control"] = "no-store"
    return reply


@in_kitchen()
@require_safe
def strip(request: KitchenRequest) -> HttpResponse:
    """The clock strip alone."""
    return render(request, "ui/_strip.html")


def _admit(request: HttpRequest, kitchen: str) -> Ear | None:
    """Who asks for a stream; None: nobody. Gives its database connection back before the stream begins."""
    try:
        if not request.user.is_authenticated:
            return None
        attach(request, kitchen, "viewer")
        since = request.headers.get("Last-Event-ID") or request.GET.get("since", "")
        session = request.session.session_key or ""
        return Ear(kitchen, int(request.user.pk), session, voice_of(request.user), since[:40])
    finally:
        connections.close_all()


@require_safe
async def stream(request: HttpRequest, kitchen: str) -> HttpResponse | Stream:
    """Server-sent events: what of the state changed, whenever it does. Bounded in time and number; the browser comes again or asks."""
    try:
        ear = await sync_to_async(_admit, thread_sensitive=False, executor=ADMITTING)(request, kitchen)
    except Http404:
        return HttpResponse(status=404)
    if ear is None:
        return HttpResponse(status=401)
    try:
        streams.open(ear)
    except Crowded:
        crowded = HttpResponse(
            "Too many boards are open; this one asks every few seconds instead.\n",
            status=429,
            content_type="text/plain",
        )
        crowded["Retry-After"] = "60"
        return crowded
    reply = Stream(_told(ear), content_type="text/event-stream")
    loop = asyncio.get_running_loop()
    reply.release = lambda: loop.call_soon_threadsafe(streams.close, ear)  # closed on another thread
    reply["Cache-Control"] = "no-store"
    reply["X-Accel-Buffering"] = "no"
    return reply


async def _told(ear: Ear) -> AsyncIterator[bytes]:
    """The body of a stream."""
    loop = asyncio.get_running_loop()
    try:
        yield b"retry: 1000\n\n"
        end = loop.time() + STREAM_LIFE_S
        while (left := end - loop.time()) > 0 and not ear.over:
            with suppress(TimeoutError):
                async with asyncio.timeout(min(BEAT_S, left)):
                    await ear.new.wait()
            if ear.over:
                return
            if not ear.new.is_set():
                yield b": beat\n\n"
                continue
            ear.new.clear()
            text = await loop.run_in_executor(SAYING, ear.changes)
            if text:
                yield f"id: {ear.since}\nevent: state\ndata: {text}\n\n".encode()
    finally:
        streams.close(ear)  # the browser went away: nobody closes the reply then


@in_kitchen(read="cook", answers_json=True)
@require_POST
def events(request: KitchenRequest) -> HttpResponse:
    """Events of a board, possibly queued for a while; each arrives once however often it is sent."""
    try:
        body = json.loads(request.body)
        answers = take_events(Actor.of_request(request), body.get("events") if isinstance(body, dict) else None)
    except (ValueError, RecursionError):
        return JsonResponse({"error": {"code": "json", "message": _("The body must be JSON."), "path": ""}}, status=400)
    except InputError as error:
        return JsonResponse(spoken(error.as_dict(), current().speaker), status=400)
    return JsonResponse({"answers": spoken(answers, current().speaker)})


@in_kitchen(read="cook")
@require_POST
def take_form_event(request: KitchenRequest, cook: str) -> HttpResponse:
    """One event from a plain form, for boards without scripts."""
    kitchen = request.kitchen
    found = get_object_or_404(Cook, kitchen=kitchen, public_id=cook)
    ago = request.POST.get("ago", "0")
    seconds = min(int(ago), 3600) if ago.isdecimal() else 0
    raw = {
        "id": request.POST.get("event") or str(uuid.uuid4()),
        "cook": found.public_id,
        "kind": request.POST.get("kind"),
        "move": request.POST.get("move", ""),
        "text": request.POST.get("text", ""),
        "supersedes": request.POST.get("supersedes") or None,
        "occurred_at": round(kitchen_time(kitchen).timestamp() * 1000) - 1000 * seconds,
        "device": "form",
        "seconds": 60,
    } | form_event(request, found)
    answer = take_events(Actor.of_request(request), [raw])[0]
    if answer["status"] == "refused":
        messages.error(request, current().say(answer["message"]))
    found.refresh_from_db()
    if found.finished:
        return redirect("record", kitchen=kitchen.public_id, record=found.record.public_id)
    if request.POST.get("then") == "sheet":
        return redirect("line-sheet", kitchen=kitchen.public_id, cook=found.public_id)
    return redirect("line", kitchen=kitchen.public_id)
