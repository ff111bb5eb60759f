"use strict";
// Small comforts on top of pages that work without any script.

// Shortcuts: a comma, then a letter within two seconds. Listed on /keys; switched off in the settings.
(() => {
  const root = document.documentElement;
  const pages = { t: "/", j: "/record", y: "/season", h: "/house", q: "/quarantine", p: "/plants", w: "/places", g: "/guide", s: "/shelf", m: "/mix", k: "/degree-days", r: "/rehearsal", a: "/plants/new", i: "/season/came-in", "?": "/keys" };
  const spots = { n: "next", d: "dates", f: "finds", z: "zone", c: "check" };
  let armed = 0;
  const typing = (el) => el.closest("input, textarea, select, [contenteditable]") !== null;
  const press = (key) => {
    if (pages[key]) { window.location.assign(pages[key]); return; }
    if (key === "e") { document.querySelector("form[action='/theme'] button")?.click(); return; }
    if (key === "l") { document.querySelector("a[href$='/inspect']")?.click(); return; }
    const spot = spots[key] && document.getElementById(spots[key]);
    if (spot) { spot.scrollIntoView(); (spot.querySelector("button, a, summary, input") || spot).focus(); }
  };
  document.addEventListener("keydown", (event) => {
    if (root.dataset.shortcuts !== "on" || event.ctrlKey || event.altKey || event.metaKey || typing(event.target)) return;
    if (event.key === ",") { armed = Date.now(); return; }
    if (Date.now() - armed < 2000) { armed = 0; press(event.key.toLowerCase()); }
  });
})();

// After a part of the page was exchanged: put the reader where the news is.
document.addEventListener("htmx:afterSwap", (event) => {
  const news = document.querySelector("#faults, [data-news], [role=alert]"), target = event.detail.target;
  if (news && target && (target.id === "case" || target.contains(news))) { news.setAttribute("tabindex", "-1"); news.focus({ preventScroll: false }); }
});

// A form with faults: begin at the first of them.
(() => {
  const first = document.querySelector("[aria-invalid=true]");
  first?.focus({ preventScroll: true });
  first?.scrollIntoView({ block: "center" });
})();

// Life size: how many screen dots are a millimetre on this device, set once with a card.
(() => {
  const key = "brood-px-per-mm";
  const kept = () => { try { return Number(localStorage.getItem(key)) || 0; } catch { return 0; } };
  const say = (text) => document.querySelectorAll("[data-ruler]").forEach((el) => { el.textContent = text; });
  const px = kept();
  document.querySelectorAll("svg[data-mm]").forEach((svg) => {
    if (!px) return;
    const [, , w, h] = svg.getAttribute("viewBox").split(" ").map(Number);
    svg.setAttribute("width", w * px);
    svg.setAttribute("height", h * px);
  });
  if (px) say("Life size on this device.");
  const slider = document.getElementById("card-width");
  if (!slider) return;
  const outline = document.querySelector("#card svg");
  const mm = Number(document.getElementById("card").dataset.cardMm);
  const fit = () => { outline.setAttribute("width", slider.value); outline.setAttribute("height", (slider.value / mm) * 53.98); };
  if (px) slider.value = Math.round(px * mm);
  fit();
  slider.addEventListener("input", fit);
  document.querySelectorAll("[data-nudge]").forEach((button) => button.addEventListener("click", () => { slider.value = Number(slider.value) + Number(button.dataset.nudge); fit(); }));
  document.querySelector("[data-keep-ruler]").addEventListener("click", () => {
    try { localStorage.setItem(key, String(slider.value / mm)); say("Kept. Drawings are at life size on this device now."); } catch { say("This browser keeps nothing; the drawings stay about life size."); }
  });
})();

// Measuring on a photo: two ends, moved by pointer or keys, written into the form beside it.
(() => {
  const canvas = document.getElementById("shot");
  if (!canvas) return;
  const { width, height, scale, src } = canvas.dataset;
  canvas.width = width; canvas.height = height;
  const pen = canvas.getContext("2d"), picture = new Image();
  const fields = ["x1", "y1", "x2", "y2"].map((name) => document.querySelector(`[data-end=${name}]`));
  const now = document.getElementById("shot-now");
  let held = 0;
  const ends = () => { const v = fields.map((f) => Number(f.value) || 0); return [[v[0], v[1]], [v[2], v[3]]]; };
  const draw = () => {
    const [a, b] = ends(), unit = canvas.width / Math.max(canvas.clientWidth, 1);
    pen.drawImage(picture, 0, 0, canvas.width, canvas.height);
    for (const [colour, wide] of [["#fff", 6], ["#111", 2.5]]) {
      pen.strokeStyle = colour; pen.lineWidth = wide * unit;
      pen.beginPath(); pen.moveTo(...a); pen.lineTo(...b); pen.stroke();
      [a, b].forEach((end, n) => { pen.beginPath(); pen.arc(...end, (n === held ? 15 : 11) * unit, 0, 7); pen.stroke(); });
    }
    const dots = Math.hypot(b[0] - a[0], b[1] - a[1]);
    now.textContent = scale ? `${(dots / scale / canvas.dataset.unitMm).toPrecision(3)} ${canvas.dataset.unit}` : `${Math.round(dots)} dots of the photo`;
  };
  const put = (x, y) => {
    fields[2 * held].value = Math.round(Math.min(Math.max(x, 0), width));
    fields[2 * held + 1].value = Math.round(Math.min(Math.max(y, 0), height));
    draw();
  };
  const at = (event) => { const box = canvas.getBoundingClientRect(); return [((event.clientX - box.left) * width) / box.width, ((event.clientY - box.top) * height) / box.height]; };
  canvas.addEventListener("pointerdown", (event) => {
    const [x, y] = at(event), far = ends().map(([a, b]) => Math.hypot(a - x, b - y));
    held = far[0] <= far[1] ? 0 : 1;
    canvas.setPointerCapture(event.pointerId);
    put(x, y);
  });
  canvas.addEventListener("pointermove", (event) => { if (canvas.hasPointerCapture(event.pointerId)) put(...at(event)); });
  canvas.addEventListener("keydown", (event) => {
    const step = event.shiftKey ? 20 : 2, moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
    if (event.key === "1" || event.key === "2") { held = Number(event.key) - 1; draw(); return; }
    if (!moves[event.key]) return;
    event.preventDefault();
    const [x, y] = ends()[held];
    put(x + moves[event.key][0], y + moves[event.key][1]);
  });
  fields.forEach((field) => field.addEventListener("input", draw));
  picture.addEventListener("load", draw);
  picture.src = src;
})();

// Trying another evening: a handle of the brood chart is dragged, or moved with the arrow keys; later ones move along.
(() => {
  const plain = () => document.getElementById("try");
  const listOf = (text) => text.split(",").filter(Boolean);
  const shifted = (day, by) => { const at = new Date(`${day}T12:00:00Z`); at.setUTCDate(at.getUTCDate() + by); return at.toISOString().slice(0, 10); };
  const now = (box) => listOf(box.dataset.tried || box.dataset.dates);
  const say = new Intl.DateTimeFormat(document.documentElement.lang || "en-GB", { weekday: "short", day: "numeric" });
  const later = (dates, n, by) => dates.map((day, k) => (k >= n ? shifted(day, by) : day));
  const show = (svg, n, by) => {
    const px = Number(svg.dataset.perDay) * by, move = svg.dataset.axis === "y" ? `translate(0 ${px})` : `translate(${px} 0)`;
    svg.querySelectorAll("[data-drag]").forEach((el) => {
      if (Number(el.dataset.drag) < n) return;
      el.setAttribute("transform", by ? move : "");
      const label = el.querySelector(".stroke-day"), dates = now(plain());
      if (label) label.textContent = say.format(new Date(`${shifted(dates[Number(el.dataset.drag)], by)}T12:00:00`));
    });
  };
  let asked = new AbortController();
  const part = async (at, into) => {
    const answer = await fetch(at, { headers: { "HX-Request": "true" }, signal: asked.signal });
    document.getElementById(into).innerHTML = await answer.text();
  };
  const ask = async (box, dates, was, focus) => {
    const at = `${box.dataset.try}?dates=${dates.join(",")}&was=${was.join(",")}`, begun = performance.now();
    box.dataset.tried = dates.join(",");
    asked.abort();
    asked = new AbortController();
    try {
      await part(at, "consequences");
      box.dataset.took = (performance.now() - begun).toFixed(0);
      await part(`${at}&part=chart`, "chart");
      box.dataset.drawn = box.dataset.tried;
    } catch (error) {
      if (error.name !== "AbortError") window.location.assign(at);
      return;
    }
    if (focus !== undefined) [...box.querySelectorAll(`[data-drag="${focus}"]`)].find((el) => el.getClientRects().length)?.focus({ preventScroll: true });
  };
  let held = null;
  const by = (event) => {
    const svg = held.svg, box = svg.getBoundingClientRect(), view = svg.viewBox.baseVal;
    const px = svg.dataset.axis === "y" ? ((event.clientY - held.y) * view.height) / box.height : ((event.clientX - held.x) * view.width) / box.width;
    return Math.round(px / Number(svg.dataset.perDay));
  };
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest("[data-drag]");
    if (!handle || !plain() || event.button) return;
    event.preventDefault();
    held = { handle, svg: handle.closest("svg"), n: Number(handle.dataset.drag), x: event.clientX, y: event.clientY, by: 0 };
    handle.setPointerCapture(event.pointerId);
    handle.classList.add("held");
    handle.focus({ preventScroll: true });
  });
  // A finger on a handle moves the handle and not the page.
  document.addEventListener("touchstart", (event) => { if (plain() && event.target.closest("[data-drag]")) event.preventDefault(); }, { passive: false });
  document.addEventListener("pointermove", (event) => { if (held) { held.by = by(event); show(held.svg, held.n, held.by); } });
  const drop = (cancel) => {
    if (!held) return;
    const { svg, n, handle } = held, step = cancel ? 0 : held.by;
    held = null;
    handle.classList.remove("held");
    if (!step) { show(svg, n, 0); return; }
    const box = plain(), dates = now(box);
    ask(box, later(dates, n, step), dates, n);
  };
  document.addEventListener("pointerup", () => drop(false));
  document.addEventListener("pointercancel", () => drop(true));
  document.addEventListener("keydown", (event) => {
    const handle = event.target.closest?.("[data-drag]"), box = plain();
    if (!handle || !box || event.ctrlKey || event.altKey || event.metaKey) return;
    const n = Number(handle.dataset.drag), dates = now(box), at = Number(handle.getAttribute("aria-valuenow"));
    const steps = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1, Home: Number(handle.getAttribute("aria-valuemin")) - at, End: Number(handle.getAttribute("aria-valuemax")) - at };
    if (event.key === "Escape") { event.preventDefault(); ask(box, listOf(box.dataset.dates), dates, n); return; }
    if (steps[event.key] === undefined) return;
    event.preventDefault();
    if (steps[event.key]) ask(box, later(dates, n, steps[event.key]), dates, n);
  });
  document.addEventListener("click", (event) => {
    const box = plain(), back = event.target.closest("[data-put-back], [data-undo]");
    if (!box || !back) return;
    event.preventDefault();
    ask(box, back.dataset.undo ? listOf(back.dataset.undo) : listOf(box.dataset.dates), now(box));
  });
})();

// A printed page.
document.querySelectorAll("[data-print]").forEach((button) => button.addEventListener("click", () => window.print()));

// Timers: they count to a moment that is kept on this device, so that neither a locked screen nor a page that is opened again stops them.
(() => {
  const keyOf = (button) => `brood-timer ${window.location.pathname} ${button.dataset.name}`;
  const kept = (key) => { try { return Number(localStorage.getItem(key)) || 0; } catch { return 0; } };
  const keep = (key, until) => { try { if (until) localStorage.setItem(key, String(until)); else localStorage.removeItem(key); } catch { /* nothing is kept there */ } };
  const running = new Map();
  const stop = (button, text) => { running.delete(button); keep(keyOf(button), 0); button.textContent = text; };
  const tick = (button) => {
    const left = Math.round((running.get(button) - Date.now()) / 1000), name = button.dataset.name;
    if (left > 0) { button.textContent = `${name}: ${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")}, stop`; return; }
    navigator.vibrate?.(400);
    if ("again" in button.dataset) { begin(button); return; }
    stop(button, left < -60 ? `${name}: over for ${Math.floor(-left / 60)} min` : `${name}: over`);
  };
  const run = (button, until) => { running.set(button, until); keep(keyOf(button), until); tick(button); };
  const begin = (button) => run(button, Date.now() + Number(button.dataset.timer) * 1000);
  const name = (button) => { button.dataset.name ||= button.textContent.trim(); };
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-timer]");
    if (!button) return;
    name(button);
    if (running.has(button)) stop(button, button.dataset.name); else begin(button);
  });
  document.querySelectorAll("[data-timer]").forEach((button) => {
    name(button);
    const until = kept(keyOf(button));
    if (until && !("again" in button.dataset && until < Date.now())) run(button, until); else if (until) keep(keyOf(button), 0);
  });
  const all = () => [...running.keys()].forEach(tick);
  setInterval(all, 500);
  document.addEventListener("visibilitychange", all);
})();

// Counting with a wet thumb.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-count]");
  const field = button && document.querySelector(`[name="${button.dataset.count}"]`);
  if (!field) return;
  field.value = String((Number(field.value) || 0) + Number(button.dataset.step || 1));
  field.dispatchEvent(new Event("input", { bubbles: true }));
});

// Whoever counts has seen something.
document.addEventListener("input", (event) => {
  const some = event.target.closest(".count-row") && document.querySelector("[name=seen][value=some]");
  if (some && Number(event.target.value) > 0) some.checked = true;
});

// Evenings and looks recorded without a connection wait on this device, and are sent when it is back. Each has its own key, so none counts twice.
// One is forgotten only when the household says that it is on record; one that is refused stays, with the reason, until somebody sees to it.
(() => {
  const shelf = "brood-unsent";
  const read = (key, otherwise) => { try { return JSON.parse(localStorage.getItem(key)) ?? otherwise; } catch { return otherwise; } };
  const write = (key, value) => { try { localStorage.setItem(key, JSON.stringify(value)); return true; } catch { return false; } };
  const forget = (key) => { try { localStorage.removeItem(key); } catch { /* nothing is kept there */ } };
  const form = document.querySelector("form[data-keep]"), line = document.getElementById("offline"), list = document.getElementById("unsent");
  const say = (text) => { if (line) { line.textContent = text; line.classList.toggle("hidden", !text); } };
  const keyOf = (entry) => entry.fields.find(([name]) => name === "sent_key")?.[1];
  const same = (one, other) => keyOf(one) === keyOf(other);
  const FINAL = [404, 409, 410, 413, 415, 422];
  const send = async (entry, body) => {
    const answer = await fetch(entry.url, { method: "POST", body, headers: { "X-Brood-Receipt": "1" } });
    const text = await answer.text(); // An answer that was cut short is none: what was recorded waits on.
    let said = {};
    try { said = JSON.parse(text) ?? {}; } catch { /* somebody else's page */ }
    if (answer.ok && said.kept === keyOf(entry)) return { kept: true };
    if (answer.status === 401) return { waits: "door" };
    return FINAL.includes(answer.status) ? { refused: said.message || "It was not taken." } : { waits: "" };
  };
  const change = (entry, more) => write(shelf, read(shelf, []).map((one) => (same(one, entry) ? { ...one, ...more } : one)));
  const drop = (entry) => { write(shelf, read(shelf, []).filter((one) => !same(one, entry))); forget(entry.keep); };
  const make = (tag, text, more = {}) => Object.assign(document.createElement(tag), { textContent: text }, more);
  const show = () => {
    const here = (entry) => form && line && entry.keep === form.dataset.keep && !entry.refused;
    const waiting = read(shelf, []).filter((entry) => !here(entry));
    if (!list) return;
    list.replaceChildren();
    list.classList.toggle("hidden", !waiting.length);
    waiting.forEach((entry) => {
      const row = make("div", "", { className: "just" });
      const why = entry.refused ? `was not taken: ${entry.refused}` : entry.waits === "door" ? "waits on this device: the household passcode is asked for first." : "waits on this device until there is a connection.";
      row.append(make("span", `${entry.what || "Something recorded"} ${why}`));
      if (entry.waits === "door" && !entry.refused) row.append(make("a", "Enter the passcode", { href: `/enter?next=${encodeURIComponent(window.location.pathname)}`, className: "btn minor" }));
      if (entry.refused) {
        row.append(make("a", "Open and correct it", { href: entry.page || "/", className: "btn minor" }));
        const away = make("button", "Throw it away", { type: "button", className: "btn minor" });
        away.addEventListener("click", () => { drop(entry); show(); });
        row.append(away);
      }
      list.append(row);
    });
  };
  let busy = false;
  const flush = async () => {
    if (busy) return;
    busy = true;
    let here = false;
    for (const entry of read(shelf, []).filter((one) => !one.refused)) {
      try {
        const said = await send(entry, new URLSearchParams(entry.fields));
        if (said.kept) { drop(entry); here ||= form?.dataset.keep === entry.keep; } else change(entry, said);
      } catch { change(entry, { waits: "" }); }
    }
    busy = false;
    show();
    if (here) window.location.assign(form.dataset.back);
  };
  show();
  if (read(shelf, []).length) flush();
  window.addEventListener("online", flush);
  setInterval(() => { if (read(shelf, []).some((one) => !one.refused)) flush(); }, 15000);
  if (!form) return;
  const fields = () => [...new FormData(form)].filter(([, value]) => typeof value === "string");
  const kept = read(form.dataset.keep, null);
  if (kept && !document.getElementById("faults")) {
    form.querySelectorAll("input[type=checkbox], input[type=radio]").forEach((box) => { box.checked = kept.some(([name, value]) => name === box.name && value === box.value); });
    kept.forEach(([name, value]) => { const el = form.elements[name]; if (el instanceof Element && !["checkbox", "radio", "file"].includes(el.type)) el.value = value; });
  }
  form.addEventListener("input", () => write(form.dataset.keep, fields()));
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const what = `${document.querySelector("h1")?.textContent.split(":")[0] || ""}: ${form.dataset.what}`;
    const entry = { url: form.getAttribute("action") || window.location.pathname, fields: fields(), keep: form.dataset.keep, page: window.location.pathname, what };
    const photo = [...form.querySelectorAll("input[type=file]")].some((el) => el.files.length);
    write(entry.keep, entry.fields);
    let said = { waits: "" };
    try { said = await send(entry, photo ? new FormData(form) : new URLSearchParams(entry.fields)); } catch { /* no connection */ }
    if (said.kept) { drop(entry); window.location.assign(form.dataset.back); return; }
    if (said.refused) { drop(entry); form.submit(); return; }
    const stored = write(shelf, [...read(shelf, []).filter((one) => !same(one, entry)), { ...entry, ...said }]);
    show();
    const why = said.waits === "door" ? "The household passcode is asked for first" : "No connection";
    say(stored ? `${why}: ${form.dataset.what} is kept on this device and sent later${photo ? ", without the photo" : ""}. You may close the page.` : `${why}, and this browser keeps nothing: leave this page open and press again.`);
    form.querySelector("button.go").textContent = "Try again now";
  });
})();
