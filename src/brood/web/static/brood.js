"use strict";
// Small comforts on top of pages that work without any script.

// Shortcuts: a comma, then a letter within two seconds. Listed on /keys; switched off in the settings.
(() => {
  const root = document.documentElement;
  const pages = { p: "/plants", w: "/places", g: "/guide", k: "/degree-days", a: "/plants/new", "?": "/keys" };
  const spots = { n: "next", d: "dates", f: "finds" };
  let armed = 0;
  const typing = (el) => el.closest("input, textarea, select, [contenteditable]") !== null;
  const press = (key) => {
    if (pages[key]) { window.location.assign(pages[key]); return; }
    if (key === "e") { document.querySelector("form[action='/theme'] button")?.click(); return; }
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
  const news = document.querySelector("#faults, [data-news], [role=alert]");
  if (news && event.detail.target) { news.setAttribute("tabindex", "-1"); news.focus({ preventScroll: false }); }
});

// A form with faults: begin at the first of them.
document.querySelector("[aria-invalid=true]")?.focus();
