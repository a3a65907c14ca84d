// Live pages. A list takes the rows that the stream sends. Any other page reads
// itself anew when the stream says that something changed, and its live part
// and rail are laid over what stands there. Cut off, it says so, and catches up
// when the stream is back.
const person = document.body.dataset.live;
let down = null, pending = false, again = false;

function box() { return document.getElementById("cutoff"); }

function showState() {
  const note = box();
  if (!note) return;
  note.hidden = !down;
  if (down) note.textContent = "Cut off since " + down.toTimeString().slice(0, 5) + ". " +
    "This page shows what was known then and catches up by itself.";
}

// busy says whether somebody is in the middle of choosing or typing, which a
// refresh must not disturb.
function busy() {
  const at = document.activeElement;
  const main = document.getElementById("live");
  if (!main) return true;
  if (main.querySelector("details.switch[open]")) return true;
  if (completing) return true;
  if (main.querySelector("form.punch[data-pressed]")) return true; // pressed, and not recorded yet
  return at && main.contains(at) && at.matches("input:not([type=radio]):not([type=checkbox]), textarea") && at.value !== "";
}

// complete fetches the pieces of a list that come after the first.
async function complete(page) {
  for (let more = page.querySelector("tr.more"); more; more = page.querySelector("tr.more")) {
    const answer = await fetch(more.dataset.more, { headers: { "X-Refresh": "1" } });
    const rows = document.createElement("template");
    if (answer.ok) rows.innerHTML = await answer.text();
    // A list of before isn't known any more: here is the whole, as it is now.
    if (answer.headers.get("X-Whole")) more.closest("tbody").replaceChildren(rows.content);
    else more.replaceWith(rows.content);
  }
}

// rest completes the page itself, once for each list.
let completing = false;
async function rest() {
  if (completing || !document.querySelector("tr.more")) return;
  completing = true;
  try { await complete(document); } catch (e) { /* left the page, or cut off: the next refresh completes it */ }
  completing = false;
  waiting.splice(0).forEach(lay);
  if (again) refresh();
}

// lay puts the rows of a patch where they belong, the last first, so that each
// finds the one below it. What comes while the list is being completed waits.
const waiting = [];
function lay(patch) {
  const main = document.getElementById("live");
  if (!main || main.dataset.feed !== patch.list) return;
  if (completing || pending) { waiting.push(patch); return; }
  const body = main.querySelector("table.list > tbody");
  if (patch.again || !body) { refresh(); return; }
  const stay = new Set((patch.rows || []).map(function (row) { return row.id; }));
  if (patch.whole) body.querySelectorAll("tr[id]").forEach(function (row) { if (!stay.has(row.id)) row.remove(); });
  for (const id of patch.gone || []) if (!stay.has(id)) document.getElementById(id)?.remove();
  for (const row of (patch.rows || []).slice().reverse()) layRow(body, row);
  for (const [id, html] of Object.entries(patch.parts || {})) {
    const part = document.getElementById(id);
    if (!part) continue;
    Idiomorph.morph(part, html, { morphStyle: "innerHTML", ignoreActiveValue: true });
    htmx.process(part);
  }
  if (patch.now) body.querySelectorAll("line.now").forEach(function (line) { moveTo(line, patch.now); });
  if (!body.querySelector("tr")) { refresh(); return; }
  said("manudex:rows");
}

// moveTo moves the line at now: it stands some pixels an hour from where the
// axis begins.
function moveTo(line, now) {
  const x = (now - Number(line.dataset.from)) / 3600 * Number(line.dataset.perHour);
  line.setAttribute("x1", x.toFixed(1));
  line.setAttribute("x2", x.toFixed(1));
}

function layRow(body, row) {
  const below = row.before ? document.getElementById(row.before) : null;
  let there = document.getElementById(row.id);
  // A row that stands below what is loaded comes with its piece.
  if (row.before && !below) { there?.remove(); return; }
  const picked = there && there.classList.contains("sel");
  if (!there) {
    there = document.createElement("tr");
    there.id = row.id;
  }
  if (!there.isConnected || there.nextElementSibling !== below) body.insertBefore(there, below);
  const fresh = document.createElement("template");
  fresh.innerHTML = row.html;
  if (picked) fresh.content.firstElementChild.classList.add("sel");
  Idiomorph.morph(there, fresh.content.firstElementChild, { ignoreActiveValue: true });
  htmx.process(document.getElementById(row.id));
}

// said tells tests and other modules that the page is up to date.
function said(event) {
  document.body.dataset.refreshed = String(Number(document.body.dataset.refreshed || 0) + 1);
  document.dispatchEvent(new CustomEvent(event));
}

async function refresh() {
  if (document.querySelector("#live[data-still]")) return;
  if (pending || busy()) { again = true; return; }
  pending = true; again = false;
  const begun = performance.now(), here = location.href;
  try {
    const answer = await fetch(here, { headers: { "X-Refresh": "1" } });
    if (answer.redirected && new URL(answer.url).pathname === "/signin") { location.href = answer.url; return; }
    if (!answer.ok) return;
    const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
    await complete(fresh);
    // Whoever went on to another page, or began to type, is left alone.
    if (location.href !== here || busy()) { again = true; return; }
    const chosen = document.querySelector("#live .choice > input:checked");
    for (const id of ["railbox", "running", "live"]) {
      const old = document.getElementById(id), now = fresh.getElementById(id);
      if (!old || !now) continue;
      if (id === "live" && chosen) {
        const same = now.querySelector("#" + CSS.escape(chosen.id));
        if (same) {
          now.querySelectorAll(".choice > input").forEach(function (c) { c.removeAttribute("checked"); });
          same.setAttribute("checked", "");
        }
      }
      const picked = old.querySelector && old.querySelector("tr.sel");
      if (picked && picked.id) { const row = fresh.getElementById(picked.id); if (row) row.classList.add("sel"); }
      Idiomorph.morph(old, now, { ignoreActiveValue: true });
      htmx.process(document.getElementById(id));
    }
    waiting.length = 0; // the stream sends again what came meanwhile
    shows();
    said("manudex:refreshed");
  } catch (e) {
    // The stream says when the server is back; then it is read again.
  } finally {
    // A page that takes long to read is read less often.
    setTimeout(function () {
      pending = false;
      waiting.splice(0).forEach(lay);
      if (again && !busy()) refresh();
    }, Math.min(3 * (performance.now() - begun), 10000) - 100);
  }
}

// What was pressed and could not be sent is said at once. A punch is sent again
// by itself, the same one, until it is answered; of anything else it is said
// that it may or may not have been done.
function unanswered(form, answered) {
  const note = box();
  if (!note) return;
  note.hidden = false;
  if (form && form.matches("form.punch")) {
    note.textContent = "Not recorded yet. It is sent again by itself, and counts from when you pressed. Keep this page open.";
    return;
  }
  note.textContent = answered ? "The records can't be reached just now. Look at what stands there before you do it again."
    : "That was not answered: there is no connection. Look at what stands there, when it is back, before you do it again.";
}

function sendAgain(e, answered) {
  const form = e.target.closest && e.target.closest("form");
  unanswered(form, answered);
  if (!form || !form.matches("form.punch")) return;
  const pressed = e.detail.requestConfig && e.detail.requestConfig.triggeringEvent;
  const button = pressed && pressed.submitter;
  setTimeout(function () {
    if (form.isConnected && form.dataset.pressed) form.requestSubmit(button && button.isConnected ? button : undefined);
  }, 3000);
}
document.addEventListener("htmx:sendError", function (e) { sendAgain(e, false); });
document.addEventListener("htmx:timeout", function (e) { sendAgain(e, false); });
document.addEventListener("htmx:responseError", function (e) { if (e.detail.xhr.status >= 500) sendAgain(e, true); });

// A page that could not be read is read again by itself.
if (document.body.dataset.again) setTimeout(function () { location.reload(); }, 1000 * Number(document.body.dataset.again));

// listed says whether the page is a list that the stream keeps up to date.
function listed() { return Boolean(document.querySelector("#live[data-feed]")) && document.body.dataset.stream === "up"; }

// concerns says whether what changed can stand on the page: of some people, or,
// with none named, of anybody.
function concerns(people) {
  const whose = document.getElementById("live")?.dataset.whose;
  return !listed() && (!whose || !people || people.includes(whose));
}

function hear(message) {
  switch (message.what) {
    case "changed": if (concerns(message.people)) refresh(); return;
    case "rows": lay(message.patch); return;
    case "up":
      document.body.dataset.stream = "up";
      if (down) {
        down = null;
        showState();
        if (!listed()) refresh(); // a list is sent what it missed
      }
      return;
    case "down":
      document.body.dataset.stream = "down";
      if (!down) { down = new Date(); showState(); }
  }
}

// shows tells the stream which list the page shows, and as of when.
let stream = null, shown = "";
function shows() {
  const main = document.getElementById("live");
  const list = main?.dataset.feed || "", as = Number(main?.dataset.as || 0);
  if (!stream || shown === list + as) return;
  shown = list + as;
  stream.postMessage({ list: list, as: as });
}

if (person) {
  if (window.SharedWorker) {
    const worker = new SharedWorker(document.body.dataset.worker, { name: person });
    stream = worker.port;
    stream.onmessage = function (m) { hear(m.data); };
    addEventListener("pagehide", function () { stream.postMessage({ bye: true }); });
    addEventListener("pageshow", function (e) { if (e.persisted) location.reload(); });
    shown = "-";
    shows();
  } else {
    const source = new EventSource("/live");
    source.addEventListener("hello", function () { hear({ what: "up" }); });
    source.addEventListener("changed", function (e) { hear({ what: "changed", people: JSON.parse(e.data).people }); });
    source.addEventListener("error", function () { hear({ what: "down" }); });
  }
  document.addEventListener("focusout", function () { if (again) setTimeout(refresh, 0); });
  document.addEventListener("toggle", function () { if (again) setTimeout(refresh, 0); }, true);
  document.addEventListener("htmx:afterSettle", function () { showState(); shows(); rest(); });
  // What time alone brings, such as somebody becoming late, shows within a minute.
  setInterval(function () { if (!listed()) refresh(); }, 60000);
}
rest();
if (!person) document.addEventListener("htmx:afterSettle", rest);
