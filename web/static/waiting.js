// What waits on this device is sent as soon as there is a connection and whoever it is
// of is signed in; the page says so, and so does signing out. What is seen of their clock
// is kept, for the page that stands in where ours can't be reached.
import { sheetOf } from "./crewoffline.js";
import { drop, isWho, remember, send, waiting, waitsForAnybody } from "./queue.js";

const person = document.body.dataset.live;

// keepPages asks the browser to keep the pages that stand in; where it could not, for a
// connection that broke off, again a little later.
function keepPages() {
  const later = function () { setTimeout(keepPages, 5000); };
  navigator.serviceWorker.register("/sw.js").then(function (kept) {
    kept.installing?.addEventListener("statechange", function (e) { if (e.target.state === "redundant" && !kept.active) later(); });
  }).catch(later);
  // A page that was on its way while the worker began is not yet its own.
  navigator.serviceWorker.ready.then(function (kept) {
    if (!navigator.serviceWorker.controller) kept.active.postMessage("claim");
  });
}
if (window.isSecureContext && navigator.serviceWorker) keepPages();

function spoken() { return document.getElementById("spoken")?.dataset || {}; }

// tell says how many wait, and what could not be taken as it was.
async function tell() {
  const box = document.getElementById("waiting");
  if (!box) return;
  const all = person ? await waiting(person) : [];
  const open = all.filter(function (p) { return !p.refused; }), odd = all.filter(function (p) { return p.refused; });
  box.hidden = !all.length;
  box.replaceChildren();
  if (open.length) box.append(line(spoken().waiting.replace("#", open.length)));
  odd.forEach(function (p) {
    const seen = document.createElement("button");
    seen.className = "btn btn-sm btn-outline-secondary";
    seen.textContent = spoken().seen;
    seen.addEventListener("click", function () { drop(p.id).then(tell); });
    const row = line(spoken().refused + (p.refused === "-" ? "" : ": " + p.refused) + " ");
    row.append(seen);
    box.append(row);
  });
}

function line(text) {
  const p = document.createElement("p");
  p.textContent = text;
  return p;
}

async function flush() {
  try {
    const taken = await send(person);
    if (taken && onClock()) { location.reload(); return; }
  } catch { /* said by what still waits */ }
  tell();
}

// onClock says whether the page is the reader's own clock.
function onClock() { return Boolean(document.querySelector(".phone[data-position], .crew[data-crew]")); }

// standing is what the page says of where they are: what is kept is read anew when that
// has changed, or after a while.
function standing() { return document.querySelector(".phone .state")?.textContent || ""; }
let looked = "", lookedAt = 0;

async function look() {
  if (looked === standing() && Date.now() - lookedAt < 600000) return;
  if (!document.querySelector(".phone[data-position]") || document.getElementById("jobs-q")?.value) return;
  try {
    const seen = await fetch("/clock/seen", { headers: { "X-Refresh": "1", "HX-Request": "true" } });
    if (!seen.ok) return;
    await remember(await seen.json());
    looked = standing();
    lookedAt = Date.now();
  } catch { /* what was seen before stays */ }
}

// lookAtCrew keeps what is seen of the sheet that the reader fills.
async function lookAtCrew() {
  const unit = document.querySelector(".crew[data-crew]")?.dataset.crew;
  if (!unit) return;
  try {
    const seen = await fetch("/crew/seen?unit=" + unit, { headers: { "X-Refresh": "1", "HX-Request": "true" } });
    if (seen.ok) await remember({ ...await seen.json(), person: sheetOf(person) });
  } catch { /* what was seen before stays */ }
}

if (window.indexedDB && person) {
  isWho(person).then(flush).then(look).then(lookAtCrew);
  addEventListener("online", flush);
  setInterval(flush, 20000);
  document.addEventListener("manudex:refreshed", function () { tell(); look(); });
  document.addEventListener("htmx:afterSettle", function (e) {
    tell();
    look();
    if (e.target.id === "live") lookAtCrew();
  });

  // Signing out says what waits, and takes the clock from the page that stands in.
  document.addEventListener("submit", async function (e) {
    const form = e.target.closest('form[action="/signout"]');
    if (!form || form.dataset.sure) return;
    e.preventDefault();
    const open = (await waiting(person)).filter(function (p) { return !p.refused; });
    if (open.length && !form.dataset.asked) {
      form.dataset.asked = "1";
      document.getElementById("leaving-text").textContent = spoken().leave.replace("#", open.length);
      document.getElementById("leaving").showModal();
      return;
    }
    await isWho("");
    form.dataset.sure = "1";
    form.requestSubmit();
  });
  document.addEventListener("close", function (e) {
    if (e.target.id !== "leaving") return;
    const form = document.querySelector('form[action="/signout"]');
    if (e.target.returnValue === "out") form.requestSubmit();
    else delete form.dataset.asked;
  }, true);
} else if (window.indexedDB) {
  // Somebody's punches wait for them to sign in: whose they are is not said.
  waitsForAnybody().then(function (some) {
    const box = document.getElementById("waits");
    if (box) box.hidden = !some;
  });
}
