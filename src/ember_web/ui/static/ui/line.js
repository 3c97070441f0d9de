// Line: drawn from one state document. Marks are queued here, survive a lost connection and a
// reload, and arrive once: each carries its own id. Countdowns run on the server's clock.
(() => {
  const board = document.getElementById("board");
  if (!board) return;
  const hero = document.getElementById("hero"),
    rows = document.getElementById("rows");
  const undo = document.getElementById("undo"),
    link = document.getElementById("link");
  const write = board.dataset.write === "1",
    KEY = `ember-queue-${board.dataset.kitchen}`;
  const csrf = () => (document.cookie.match(/(?:^|; )csrftoken=([^;]+)/) || [null, document.body.dataset.csrf])[1]; // signing in again changes it
  const device = Math.random().toString(36).slice(2, 8);
  let state = JSON.parse(document.getElementById("line-data").textContent);
  let base = state.now,
    began = performance.now(),
    chosen = location.hash.slice(1),
    lockedUntil = 0,
    online = true,
    sending = false,
    beeped = 0;
  const read = () => {
    try {
      return JSON.parse(localStorage.getItem(KEY) || "[]");
    } catch {
      return [];
    }
  };
  const store = (queue) => {
    try {
      localStorage.setItem(KEY, JSON.stringify(queue));
    } catch {
      /* full or private: the copy in memory goes on */
    }
    memory = queue;
  };
  let memory = read(),
    landed = [],
    single = false,
    signedOut = false;
  let refused = (() => {
    try {
      return JSON.parse(localStorage.getItem(`${KEY}-refused`) || "[]");
    } catch {
      return [];
    }
  })();
  try {
    const theme = localStorage.getItem("ember-line-theme");
    if (theme) document.documentElement.dataset.bsTheme = theme;
  } catch {
    /* private window */
  }
  const now = () => base + (performance.now() - began) * state.rate;
  const uuid = () =>
    crypto.randomUUID
      ? crypto.randomUUID()
      : "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) =>
          (c ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (c / 4)))).toString(16),
        );
  const zone = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: state.zone });
  const between = (a, b) =>
    zone.format(a) === zone.format(b) ? `at ${zone.format(a)}` : `${zone.format(a)}–${zone.format(b)}`;
  const span = (ms) => {
    const s = Math.round(Math.abs(ms) / 1000),
      sign = ms < -500 ? "−" : "";
    if (s < 600) return `${sign}${Math.floor(s / 60)}:${String(s % 60).padStart(2, "0")}`;
    const m = Math.round(s / 60);
    return s < 7200 ? `${sign}${m} min` : `${sign}${Math.floor(m / 60)} h ${String(m % 60).padStart(2, "0")}`;
  };
  const el = (tag, cls, content) => {
    const e = document.createElement(tag);
    if (cls) e.className = cls;
    if (content !== undefined) e.textContent = content;
    return e;
  };
  const svg = (tag, attributes) => {
    const e = document.createElementNS("http://www.w3.org/2000/svg", tag);
    for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
    return e;
  };

  // what the queue already did is shown before the server has heard of it
  const withQueue = () => {
    const cooks = structuredClone(state.cooks);
    for (const event of [...landed, ...memory]) {
      const cook = cooks.find((c) => c.id === event.cook);
      if (!cook) continue;
      const next = cook.moves.find((m) => m.id === event.move);
      if (event.kind === "move" && next && next.done === null) {
        const shift = event.occurred_at - next.due;
        next.done = event.occurred_at;
        for (const m of cook.moves) if (m.done === null) m.due += shift;
        cook.lastEvent = event.id;
      } else if (event.kind === "extend") {
        for (const m of cook.moves) if (m.done === null) m.due += 1000 * event.seconds;
        cook.lastEvent = event.id;
      } else if (event.kind === "finish") cook.finished = event.occurred_at;
      cook.next = cook.moves.findIndex((m) => m.done === null);
      if (cook.next < 0) cook.next = null;
    }
    return cooks.filter((c) => !c.finished);
  };

  let recent = null; // the last mark made here, on offer for undo for a minute
  const push = (event) => {
    const full = { id: uuid(), occurred_at: Math.round(now()), device, ...event };
    const cook = state.cooks.find((c) => c.id === event.cook),
      move = cook?.moves.find((m) => m.id === event.move);
    if (event.kind === "move" || event.kind === "extend")
      recent = {
        id: full.id,
        cook: event.cook,
        at: performance.now(),
        label: `${move ? move.verb : "+1 min"} · ${cook ? cook.title : ""}`,
      };
    else if (event.kind === "undo") recent = null;
    store([...memory, full]);
    render();
    send();
  };
  const send = async () => {
    if (sending || !memory.length) return;
    sending = true;
    const batch = memory.slice(0, single ? 1 : 50),
      ids = new Set(batch.map((e) => e.id));
    try {
      const reply = await fetch(board.dataset.events, {
        method: "POST",
        headers: { "Content-Type": "application/json", "X-CSRFToken": csrf() },
        body: JSON.stringify({ events: batch }),
      });
      if (reply.status === 401) {
        signOut();
        return;
      }
      if (reply.status === 403) {
        say("The server refused this: reload the page, or ask a chef for your role.");
        return;
      }
      if (reply.status >= 400 && reply.status < 500 && reply.status !== 429) {
        // what is in it cannot be taken: the others go one by one, and this one is put aside
        if (single) {
          store(memory.filter((e) => !ids.has(e.id)));
          refuse(batch[0], await reason(reply));
        }
        single = true;
        return;
      }
      if (!reply.ok) {
        // nothing is lost; but one that the server stumbles over goes behind the others
        if (reply.status >= 500 && memory.length > 1) {
          single = true;
          store([...memory.filter((e) => !ids.has(e.id)), ...batch]);
        }
        throw new Error("later");
      }
      const body = await reply.json();
      single = false;
      signedOut = false;
      landed.push(
        ...batch
          .filter((e) => body.answers.some((a) => a.id === e.id && a.status !== "refused"))
          .map((e) => ({ ...e, landedAt: performance.now() })),
      );
      store(memory.filter((e) => !ids.has(e.id)));
      for (const answer of body.answers)
        if (answer.status === "refused") refuse(batch.find((e) => e.id === answer.id) || {}, answer.message);
      connected(true);
      if (batch.some((e) => e.kind === "finish" && !refused.some((r) => r.id === e.id)))
        location.href = board.dataset.log;
      else fetchState();
    } catch {
      connected(false);
    } finally {
      sending = false;
    }
  };
  const reason = async (reply) => {
    try {
      return (await reply.json()).error.message;
    } catch {
      return `the server answered ${reply.status}`;
    }
  };
  const say = (message) => {
    link.textContent = message;
    link.hidden = false;
  };
  const signOut = () => {
    signedOut = true;
    const a = el("a", "", "sign in");
    a.href = `${board.dataset.signIn}?next=${encodeURIComponent(location.pathname)}`;
    link.replaceChildren(
      "Signed out: ",
      a,
      memory.length ? ` to send ${memory.length} kept mark${memory.length > 1 ? "s" : ""}` : " to go on",
    );
    link.hidden = false;
  };
  // what can never be taken is shown until someone has seen it
  const refuse = (event, why) => {
    const cook = state.cooks.find((c) => c.id === event.cook);
    refused = [
      ...refused,
      { id: event.id || "", text: `${event.kind || "mark"}${cook ? ` of ${cook.title}` : ""} not taken: ${why}` },
    ].slice(-20);
    keepRefused();
  };
  const keepRefused = () => {
    try {
      localStorage.setItem(`${KEY}-refused`, JSON.stringify(refused));
    } catch {
      /* shown all the same */
    }
    const box = document.getElementById("refused");
    box.hidden = !refused.length;
    box.replaceChildren(...refused.map((r) => el("p", "", r.text)));
    if (!refused.length) return;
    const seen = el("button", "plain", "Seen");
    seen.type = "button";
    seen.id = "refused-seen";
    seen.addEventListener("click", () => {
      refused = [];
      keepRefused();
    });
    box.append(seen);
  };
  const connected = (yes) => {
    online = yes;
    if (!yes)
      say(
        memory.length
          ? `No connection: ${memory.length} mark${memory.length > 1 ? "s" : ""} kept`
          : "No connection: going on by the plan",
      );
    else if (/^(No connection|Signed out)/.test(link.textContent)) {
      link.hidden = true;
      link.textContent = "";
    }
  };
  const take = (fresh) => {
    state = fresh;
    base = fresh.now;
    began = performance.now();
    render();
    const marks = JSON.stringify(state.cooks.map((c) => [c.id, c.moves.map((m) => m.due)]));
    if (marks !== strip && window.htmx) {
      strip = marks;
      window.htmx.trigger("#strip", "refresh");
    }
  };
  let strip = JSON.stringify(state.cooks.map((c) => [c.id, c.moves.map((m) => m.due)]));
  let asking = false,
    again = false;
  const fetchState = async () => {
    if (asking) {
      again = true;
      return;
    }
    asking = true;
    const began = performance.now();
    try {
      const reply = await fetch(board.dataset.state, { headers: { Accept: "application/json" } });
      if (reply.status === 401) {
        signOut();
        return;
      }
      if (!reply.ok || reply.redirected) throw new Error("no state");
      const fresh = await reply.json();
      landed = landed.filter((e) => e.landedAt > began);
      signedOut = false;
      take(fresh);
      connected(true);
      send();
    } catch {
      connected(false);
    } finally {
      asking = false;
      if (again) {
        again = false;
        fetchState();
      }
    }
  };

  const nextOf = (cook) => (cook.next === null ? null : cook.moves[cook.next]);
  // where the plan stands: since the last move done; a late move holds it where it is
  const planNow = (cook) => {
    const done = cook.moves.filter((m) => m.done !== null);
    if (!done.length) return 0;
    const last = done.reduce((a, b) => (b.offset >= a.offset ? b : a)),
      next = cook.moves.find((m) => m.done === null);
    const gone = Math.max((now() - last.done) / 1000, 0);
    return last.offset + (next ? Math.min(gone, next.offset - last.offset) : gone);
  };
  const planned = (cook) => {
    const t = planNow(cook),
      i = cook.trace.findIndex((p) => p[0] >= t);
    if (i <= 0) return (i < 0 ? cook.trace[cook.trace.length - 1] : cook.trace[0])[1];
    const [a, b] = [cook.trace[i - 1], cook.trace[i]];
    return b[0] > a[0] ? a[1] + ((b[1] - a[1]) * (t - a[0])) / (b[0] - a[0]) : b[1];
  };
  const corePair = (cook) => {
    const last = cook.lastReading;
    return { probe: last && now() - last[0] < 120000 * Math.max(state.rate, 1) ? last[1] : null };
  };
  const spark = (cook) => {
    const box = svg("svg", {
      viewBox: "0 0 760 104",
      class: "h-spark",
      role: "img",
      "aria-label": "Predicted core and probe readings",
      preserveAspectRatio: "none",
    });
    const total = Math.max(cook.trace[cook.trace.length - 1][0], ...cook.readings.slice(-1).map((r) => r[0]), 1);
    const all = [...cook.trace.map((p) => p[1]), ...cook.readings.map((r) => r[1])];
    const low = Math.min(...all),
      high = Math.max(...all, low + 5);
    const x = (t) => (t / total) * 756 + 2,
      y = (c) => 100 - ((c - low) / (high - low)) * 94;
    box.append(
      svg("path", {
        d: `M${cook.trace.map((p) => `${x(p[0]).toFixed(1)} ${y(p[1]).toFixed(1)}`).join("L")}`,
        class: "l-mean",
      }),
    );
    if (cook.target)
      box.append(svg("line", { x1: 0, x2: 760, y1: y(cook.target), y2: y(cook.target), class: "target-line" }));
    for (const m of cook.moves)
      box.append(svg("line", { x1: x(m.offset), x2: x(m.offset), y1: 0, y2: 104, class: "tick" }));
    for (const r of cook.readings)
      box.append(svg("circle", { cx: x(r[0]).toFixed(1), cy: y(r[1]).toFixed(1), r: 2.5, class: "dot" }));
    return box;
  };
  let shown = "",
    planShown = null; // the plan's core goes on between two states
  const render = () => {
    const cooks = withQueue();
    const key = JSON.stringify([
      cooks.map((c) => [c.id, c.next, c.lastReading, c.learned, c.moves.map((m) => m.done || m.due)]),
      chosen,
      memory.length,
    ]);
    if (key === shown) return;
    shown = key;
    rows.replaceChildren();
    const upcoming = cooks.filter((c) => nextOf(c)).sort((a, b) => nextOf(a).due - nextOf(b).due);
    const main = cooks.find((c) => c.id === chosen) || upcoming[0] || cooks[0];
    for (const cook of cooks) {
      const card = el("button", "row-card");
      card.id = cook.id;
      card.type = "button";
      if (cook === main) card.setAttribute("aria-current", "true");
      const move = nextOf(cook),
        pair = corePair(cook);
      const head = el("h2", "", `${cook.count > 1 ? `${cook.count} × ` : ""}${cook.title}`),
        count = el("span", "r-count");
      if (move) count.dataset.due = move.due;
      head.append(count);
      card.append(
        head,
        el(
          "p",
          "",
          `${cook.station} · ${move ? `${move.verb} ${zone.format(move.due)}` : "all moves done"}${pair.probe !== null ? ` · core ${pair.probe.toFixed(1)}` : ""}`,
        ),
      );
      card.addEventListener("click", () => {
        chosen = cook.id;
        history.replaceState(null, "", `#${cook.id}`);
        shown = "";
        render();
      });
      rows.append(card);
    }
    drawHero(main);
    tick();
  };
  const drawHero = (cook) => {
    hero.replaceChildren();
    planShown = null;
    if (!cook) {
      const empty = el("div", "empty");
      const a = el("a", "btn btn-primary big", "Choose a plan");
      a.href = board.dataset.state.replace(/line\/state\/$/, "plan/list/");
      empty.append(
        el("h1", "", "Nothing on heat"),
        el("p", "", "Save a plan and start it: it appears here with its next move and the time to it."),
        a,
      );
      hero.append(empty);
      undo.hidden = true;
      return;
    }
    const move = nextOf(cook),
      pair = corePair(cook);
    hero.append(
      el("p", "h-verb", move ? move.verb : "All moves done"),
      el("p", "h-piece", `${cook.count > 1 ? `${cook.count} × ` : ""}${cook.title} · ${cook.station}`),
    );
    const count = el("p", "h-count", move ? "" : "–");
    if (move) count.dataset.due = move.due;
    hero.append(count);
    const core = el("p", "h-core"),
      toGo = move && move.core !== null ? move.core : cook.target;
    const first = el("span", "core-now", pair.probe !== null ? `${pair.probe.toFixed(1)} °C` : "–"),
      beside = el(
        "small",
        "",
        pair.probe !== null ? "plan –" : cook.probe ? "by the plan; probe silent" : "by the plan; no probe",
      );
    planShown = cook.trace.length
      ? {
          cook,
          at: pair.probe !== null ? beside : first,
          words: pair.probe !== null ? (c) => `plan ${c}` : (c) => `≈ ${c} °C`,
        }
      : null;
    core.append(first, beside);
    if (toGo !== null && toGo !== undefined)
      core.append(
        el("span", "", "→"),
        el("span", "", `${toGo.toFixed(1)} °C`),
        el("small", "", move && move.core !== null ? `at ${move.verb.toLowerCase()}` : "target"),
      );
    hero.append(core, spark(cook));
    const cue = el("p", "h-cue", move ? move.cue : "Finish it to write the record.");
    const by = cook.learned;
    if (by && move && move.kind === "pull")
      cue.prepend(
        el("span", "h-learned", by.note ? by.note : `By the probe: pull likely ${between(by.from, by.to)}.`),
      );
    if (move?.caution) cue.append(el("span", "care", `⚠ ${move.caution}`));
    hero.append(cue);
    if (!write) {
      undo.hidden = true;
      return;
    }
    const acts = el("div", "h-acts"),
      done = el("button", "b-done", move ? `${move.verb}: done` : "Finish and log");
    done.type = "button";
    done.id = "done";
    const mark = (extra) => {
      if (performance.now() < lockedUntil) return;
      lockedUntil = performance.now() + 700; // ghost taps
      if (move) push({ cook: cook.id, kind: "move", move: move.id, occurred_at: Math.round(now() - 1000 * extra) });
      else push({ cook: cook.id, kind: "finish" });
    };
    done.addEventListener("click", () => mark(0));
    acts.append(done);
    const side = (label, act, id) => {
      const b = el("button", "b-side", label);
      b.type = "button";
      b.id = id;
      b.addEventListener("click", act);
      return b;
    };
    const left = el("div", "b-col"),
      right = el("div", "b-col");
    if (move) {
      left.append(
        side("did it 40 s ago", () => mark(40), "ago40"),
        side("2 min ago", () => mark(120), "ago120"),
      );
      right.append(side("+1 min", () => push({ cook: cook.id, kind: "extend", seconds: 60 }), "extend"));
      right.append(
        side(
          "finish and log",
          () => {
            if (confirm("End this cook now and write its record?")) push({ cook: cook.id, kind: "finish" });
          },
          "finish",
        ),
      );
    }
    acts.append(left, right);
    hero.append(acts);
    drawUndo(cook);
  };
  const drawUndo = (cook) => {
    if (recent && performance.now() - recent.at > 60000) recent = null;
    const last = [...cook.moves].reverse().find((m) => m.done !== null);
    const offer =
      recent ||
      (cook.lastEvent
        ? {
            id: cook.lastEvent,
            cook: cook.id,
            label: `${last ? `${last.verb} at ${zone.format(last.done)}` : "+1 min"} · ${cook.title}`,
          }
        : null);
    undo.hidden = !offer;
    if (!offer) return;
    const button = el("button", "plain", "Undo");
    button.type = "button";
    button.id = "undo-button";
    button.addEventListener("click", () => {
      recent = null;
      if (!sending && memory.some((e) => e.id === offer.id)) {
        store(memory.filter((e) => e.id !== offer.id));
        shown = "";
        render();
      } else push({ cook: offer.cook, kind: "undo", supersedes: offer.id });
    });
    undo.replaceChildren(el("span", "", `Last: ${offer.label}`), button);
  };
  const beep = () => {
    try {
      const audio = new AudioContext(),
        tone = audio.createOscillator(),
        gain = audio.createGain();
      tone.frequency.value = 880;
      gain.gain.value = 0.15;
      tone.connect(gain).connect(audio.destination);
      tone.start();
      tone.stop(audio.currentTime + 0.25);
      tone.onended = () => audio.close();
    } catch {
      /* no sound before the first touch */
    }
  };
  const tick = () => {
    let late = false;
    if (planShown) {
      const words = planShown.words(planned(planShown.cook).toFixed(1));
      if (planShown.at.textContent !== words) planShown.at.textContent = words;
    }
    for (const e of board.querySelectorAll("[data-due]")) {
      const left = Number(e.dataset.due) - now();
      const value = span(left);
      if (e.textContent !== value) e.textContent = value;
      const holder = e.closest(".row-card") || hero;
      holder.classList.toggle("overdue", left < 0);
      late = late || left < 0;
    }
    board.classList.toggle("overdue-flash", late);
    if (late && performance.now() - beeped > 10000) {
      beeped = performance.now();
      beep();
    }
  };
  setInterval(tick, 200);
  setInterval(() => {
    if (memory.length) send();
    else if (!online || signedOut) fetchState();
  }, 2000);
  let stream = null;
  const open = () => {
    stream = new EventSource(board.dataset.stream);
    stream.addEventListener("state", fetchState);
    stream.onerror = () => {
      if (stream.readyState !== EventSource.CLOSED) {
        connected(false);
        return;
      }
      fetchState(); // turned away (too many boards, signed out): ask, and try to listen again later
      setTimeout(open, 30000);
    };
  };
  setInterval(() => {
    if (stream.readyState === EventSource.CLOSED) fetchState();
  }, 5000);
  open();
  keepRefused();
  window.addEventListener("pagehide", () => stream?.close());
  shown = "";
  render();
  send();
})();
