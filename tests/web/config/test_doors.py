"""What reaches a page, and when: bodies that are not whole or come slowly, lanes, turns; driven as the server drives them."""

from __future__ import annotations

import asyncio

import pytest

from ember_web.config.body import BodyReader
from ember_web.config.doors import Doors, LaneName, lane_of
from ember_web.config.lanes import Lane, LaneFull
from ember_web.config.senders import Senders


class Connection:
    """A client as the server shows it: messages that arrive one after another, and then nothing, or the end."""

    def __init__(self, *messages, method="POST", path="/k/hut/plan/", headers=(), ends=False, client="10.0.0.1"):
        self.scope = {
            "type": "http", "method": method, "path": path, "headers": list(headers), "client": (client, 1),
            "query_string": b"", "http_version": "1.1",
        }  # fmt: skip
        self.messages = [*messages, *([{"type": "http.disconnect"}] if ends else [])]
        self.sent = []

    async def receive(self):
        """The next message; for ever when nothing comes."""
        await asyncio.sleep(0)
        if self.messages:
            return self.messages.pop(0)
        return await asyncio.Future()

    async def send(self, message):
        """What the application answers."""
        self.sent.append(message)

    @property
    def status(self):
        """The status that was answered; None: nothing was."""
        return next((m["status"] for m in self.sent if "status" in m), None)


def chunk(body, more=False):
    """A part of a body."""
    return {"type": "http.request", "body": body, "more_body": more}


class Pages:
    """Notes what reached it; answers when it is let."""

    def __init__(self):
        self.bodies, self.open = [], asyncio.Event()
        self.now = self.most = 0
        self.open.set()

    async def __call__(self, scope, receive, send):
        """One request."""
        self.now += 1
        self.most = max(self.most, self.now)
        self.bodies.append((await receive())["body"])
        await self.open.wait()
        self.now -= 1
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})


def doors_to(pages, lane=None, **limits):
    """Doors with one kind of lane and quick limits."""
    lanes = {name: lane or (lambda: Lane(places=2, each=1)) for name in LaneName}
    quick = {"max_s": 0.2, "max_silence_s": 0.1, "grace_s": 0.05} | limits
    return Doors(lambda threads: pages, pages, lambda scope: scope["client"][0], BodyReader(**quick), lanes)


LENGTH = [(b"content-length", b"10")]


@pytest.mark.parametrize(
    ("connection", "status", "reached"),
    [
        (lambda: Connection(chunk(b"0123456789"), headers=LENGTH), 200, [b"0123456789"]),
        (lambda: Connection(chunk(b"01234", True), chunk(b"56789"), headers=LENGTH), 200, [b"0123456789"]),
        (lambda: Connection(chunk(b"01234", True), headers=LENGTH), 408, []),
        (lambda: Connection(headers=LENGTH), 408, []),
        (lambda: Connection(chunk(b"01234", True), headers=LENGTH, ends=True), None, []),
        (lambda: Connection(chunk(b"note=whole", True), ends=True), None, []),
        (lambda: Connection(chunk(b"01234"), headers=LENGTH), 400, []),
        (lambda: Connection(chunk(b"0123456789x"), headers=LENGTH), 400, []),
        (lambda: Connection(chunk(b"x"), headers=[(b"content-length", b"one")]), 400, []),
        (lambda: Connection(chunk(b"x"), headers=[(b"content-length", b"1"), (b"content-length", b"2")]), 400, []),
        (lambda: Connection(chunk(b"x"), headers=[(b"content-length", b"9000000")]), 413, []),
        (lambda: Connection(*[chunk(b"x" * 1_000_000, True)] * 3), 413, []),
        (lambda: Connection(chunk(b"0123456789"), headers=LENGTH, ends=True), 200, [b"0123456789"]),
    ],
)
def test_only_a_whole_body_reaches_a_page(connection, status, reached):
    """Whatever is cut off, never ends, is larger or of another length than stated is refused, or answered by nobody."""

    async def run():
        pages, client = Pages(), connection()
        await doors_to(pages)(client.scope, client.receive, client.send)
        return client.status, pages.bodies

    assert asyncio.run(run()) == (status, reached)


def test_a_sender_who_trickles_is_refused():
    """A byte now and then is not pace enough, though it is never silent for long."""

    async def run():
        client = Connection()

        async def trickle():
            await asyncio.sleep(0.02)
            return chunk(b"x", True)

        pages = Pages()
        await doors_to(pages, max_s=30.0)(client.scope, trickle, client.send)
        return client.status, pages.bodies

    assert asyncio.run(run()) == (408, [])


def test_slow_senders_hold_nobody_up():
    """Fifty that never finish: a page of somebody else is answered meanwhile, and what they held is given back."""

    async def run():
        pages = Pages()
        doors = doors_to(pages, max_s=60.0, max_silence_s=0.5)
        slow = [Connection(chunk(b"x" * 100_000, True)) for _ in range(50)]
        tasks = [asyncio.create_task(doors(c.scope, c.receive, c.send)) for c in slow]
        await asyncio.sleep(0.05)
        held = doors.body.held
        client = Connection(method="GET", client="10.0.0.2")
        client.messages = [chunk(b"")]
        await asyncio.wait_for(doors(client.scope, client.receive, client.send), 0.4)
        await asyncio.gather(*tasks)
        return client.status, held, doors.body.held, {c.status for c in slow}

    assert asyncio.run(run()) == (200, 5_000_000, 0, {408})


def test_what_all_may_hold_is_bounded_and_small_requests_still_pass():
    """When large bodies fill what may be held, another large one is refused and a mark is taken."""

    async def run():
        pages = Pages()
        doors = doors_to(pages, max_held=250_000, max_silence_s=0.5)
        large = [Connection(chunk(b"x" * 100_000, True)) for _ in range(4)]
        tasks = [asyncio.create_task(doors(c.scope, c.receive, c.send)) for c in large]
        await asyncio.sleep(0.05)
        mark = Connection(chunk(b"done"))
        await doors(mark.scope, mark.receive, mark.send)
        await asyncio.gather(*tasks)
        return mark.status, sorted(c.status for c in large)

    assert asyncio.run(run()) == (200, [408, 408, 503, 503])


def test_one_sender_has_a_place_of_his_own_share_and_turns_go_round():
    """Thirty requests of one sender and one of another: the other is served second at the latest, never more than ``each``."""

    async def run():
        lane, order = Lane(places=2, each=1), []

        async def ask(sender):
            async with lane.place(sender):
                order.append(sender)
                await asyncio.sleep(0.001)

        tasks = [asyncio.create_task(ask("many")) for _ in range(30)]
        await asyncio.sleep(0)
        tasks.append(asyncio.create_task(ask("one")))
        await asyncio.gather(*tasks)
        return order.index("one"), len(order), lane.at_work.total(), lane.waiting, dict(lane.queues)

    index, served, at_work, waiting, queues = asyncio.run(run())
    assert index <= 1
    assert (served, at_work, waiting, queues) == (31, 0, 0, {})


def test_too_many_waiting_hear_so_and_who_left_is_dropped():
    """More than may wait of one sender, and of all; a page nobody waits for any more is not made."""

    async def run():
        lane = Lane(places=1, each=1, waiting=3, waiting_each=2)
        release, gone = asyncio.Event(), asyncio.get_running_loop().create_future()

        async def hold(sender):
            async with lane.place(sender):
                await release.wait()

        async def leave(sender):
            async with lane.place(sender, gone) as there:
                return there

        held = asyncio.create_task(hold("a"))
        await asyncio.sleep(0)
        left = asyncio.create_task(leave("a"))
        waiting = [asyncio.create_task(hold(s)) for s in ("a", "b")]
        await asyncio.sleep(0)
        full = []
        for sender in ("a", "c"):
            try:
                async with lane.place(sender):
                    pass
            except LaneFull as error:
                full.append(error.own)
        gone.set_result(None)
        there = await left
        release.set()
        await asyncio.gather(held, *waiting)
        return full, there, lane.waiting, lane.at_work.total()

    assert asyncio.run(run()) == ([True, False], False, 0, 0)


def test_a_look_that_was_given_up_reaches_no_page():
    """While all places are taken, a GET whose browser left is dropped; a POST that arrived whole is still done."""

    async def run():
        pages = Pages()
        pages.open.clear()
        doors = doors_to(pages, lane=lambda: Lane(places=1, each=1))
        first = Connection(chunk(b"first"))
        get = Connection(chunk(b""), method="GET", ends=True)
        post = Connection(chunk(b"post"), ends=True)
        tasks = [asyncio.create_task(doors(c.scope, c.receive, c.send)) for c in (first, get, post)]
        await asyncio.sleep(0.05)
        pages.open.set()
        await asyncio.gather(*tasks)
        return pages.bodies, pages.most

    assert asyncio.run(run()) == ([b"first", b"post"], 1)


@pytest.mark.parametrize(
    ("method", "path", "lane"),
    [
        ("POST", "/k/hut/line/events/", LaneName.QUICK),
        ("GET", "/k/hut/line/state/", LaneName.QUICK),
        ("POST", "/k/hut/line/abc/do/", LaneName.QUICK),
        ("POST", "/api/v1/readings", LaneName.QUICK),
        ("GET", "/readyz", LaneName.QUICK),
        ("POST", "/sign-in/", LaneName.SIGN_IN),
        ("GET", "/sign-in/", LaneName.PAGES),
        ("GET", "/k/hut/plan/", LaneName.PAGES),
        ("GET", "/k/state/line/", LaneName.PAGES),
    ],
)
def test_lanes(method, path, lane):
    """What must be quick does not wait behind what computes, nor behind the hashing of passwords."""
    assert lane_of(method, path) is lane


def test_unknown_sessions_count_by_address():
    """A session that was seen signed in counts by its person; made-up ones are one sender."""
    senders = Senders(most=2)
    senders.note("s1", 7)

    def of(cookie):
        return senders.of({"headers": [(b"cookie", cookie)], "client": ("10.0.0.9", 5)})

    assert of(b"theme=x; sessionid=s1") == 7
    assert of(b"sessionid=made-up") == of(b"") == of(b'sessionid="') == "10.0.0.9"
    for name in ("s2", "s3"):
        senders.note(name, 8)
    assert of(b"sessionid=s1") == "10.0.0.9"
