// Live pages: when the stream says that something changed, the page reads
// itself anew, and its live part and rail are laid over what stands there.
// Cut off, it says so, and catches up when the stream is back.
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
  if (again) refresh();
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
    document.body.dataset.refreshed = String(Number(document.body.dataset.refreshed || 0) + 1);
    document.dispatchEvent(new CustomEvent("manudex:refreshed"));
  } catch (e) {
    // The stream says when the server is back; then it is read again.
  } finally {
    // A page that takes long to read is read less often.
    setTimeout(function () { pending = false; if (again && !busy()) refresh(); }, Math.min(3 * (performance.now() - begun), 10000) - 100);
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

function hear(what) {
  if (what === "changed") refresh();
  if (what === "up") {
    document.body.dataset.stream = "up";
    if (down) { down = null; showState(); refresh(); }
  }
  if (what === "down") {
    document.body.dataset.stream = "down";
    if (!down) { down = new Date(); showState(); }
  }
}

if (person) {
  if (window.SharedWorker) {
    const worker = new SharedWorker("/static/live-worker.js", { name: person });
    worker.port.onmessage = function (m) { hear(m.data); };
    addEventListener("pagehide", function () { worker.port.postMessage("bye"); });
    addEventListener("pageshow", function (e) { if (e.persisted) location.reload(); });
  } else {
    const source = new EventSource("/live");
    source.addEventListener("hello", function () { hear("up"); });
    source.addEventListener("changed", function () { hear("changed"); });
    source.addEventListener("error", function () { hear("down"); });
  }
  document.addEventListener("focusout", function () { if (again) setTimeout(refresh, 0); });
  document.addEventListener("toggle", function () { if (again) setTimeout(refresh, 0); }, true);
  document.addEventListener("htmx:afterSettle", function () { showState(); rest(); });
  // What time alone brings, such as somebody becoming late, shows within a minute.
  setInterval(refresh, 60000);
}
rest();
if (!person) document.addEventListener("htmx:afterSettle", rest);
