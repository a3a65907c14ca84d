// The page is brought up to date: by the rows of its list that changed, or by
// reading it anew, when nobody is in the middle of something.
import { complete } from "./pieces.js";
import { carryTicks, lay } from "./rows.js";

let pending = false, completing = false;
let settling = 0; // the timer of what is told later
let again = false; // to be read when it can be
const waiting = []; // patches that came meanwhile

// busy says whether somebody is in the middle of choosing or typing, which a
// refresh must not disturb.
function busy() {
  const at = document.activeElement;
  const main = document.getElementById("live");
  if (!main) return true;
  if (main.querySelector("details.switch[open], form[data-editor]")) return true;
  if (completing) return true;
  if (main.querySelector("form.punch[data-pressed]")) return true; // pressed, and not recorded yet
  return at && main.contains(at) && at.matches("input:not([type=radio]):not([type=checkbox]), textarea") && at.value !== "";
}

// rest completes the page itself, once for each list.
export async function rest() {
  if (completing || !document.querySelector("tr.more")) return;
  completing = true;
  try { await complete(document); } catch (e) { /* left the page, or cut off: the next refresh completes it */ }
  completing = false;
  waiting.splice(0).forEach(take);
  if (again) refresh();
}

// take lays a patch over the list of the page, once all of that is there.
export function take(patch) {
  const main = document.getElementById("live");
  if (!main || main.dataset.feed !== patch.list) return;
  if (completing || pending) { waiting.push(patch); return; }
  const body = main.querySelector("table.list > tbody");
  if (patch.again || !body) { refresh(); return; }
  lay(body, patch);
  if (!body.querySelector("tr")) { refresh(); return; }
  said();
}

// owed reads the page anew if it should have been before.
export function owed() { if (again) refresh(); }

// said tells the other modules that the page is up to date; and, not for each
// change but always after the last, what is too dear to be read for every row.
function said() {
  document.body.dataset.refreshed = String(Number(document.body.dataset.refreshed || 0) + 1);
  document.dispatchEvent(new CustomEvent("manudex:refreshed"));
  if (settling) return;
  settling = setTimeout(function () {
    settling = 0;
    document.dispatchEvent(new CustomEvent("manudex:settled"));
  }, 10000);
}

// carryOpen keeps open what the reader has opened, and is about to write in.
function carryOpen(old, now) {
  const called = function (d) { return d.className + " " + d.id + " " + d.querySelector("summary")?.textContent.trim(); };
  const open = new Set(Array.from(old.querySelectorAll("details[open]"), called));
  now.querySelectorAll("details").forEach(function (d) { if (open.has(called(d))) d.open = true; });
}

// refresh reads the page anew and lays it over what stands there.
export async function refresh() {
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
    for (const id of ["railbox", "running", "told", "live"]) {
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
      carryTicks(old, now);
      carryOpen(old, now);
      Idiomorph.morph(old, now, { ignoreActiveValue: true });
      htmx.process(document.getElementById(id));
    }
    waiting.length = 0; // the stream sends again what came meanwhile
    said();
  } catch (e) {
    // The stream says when the server is back; then it is read again.
  } finally {
    // A page that takes long to read is read less often.
    setTimeout(function () {
      pending = false;
      waiting.splice(0).forEach(take);
      if (again && !busy()) refresh();
    }, Math.min(3 * (performance.now() - begun), 10000) - 100);
  }
}
