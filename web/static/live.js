// Live pages. A list takes the rows that the stream sends. Any other page reads
// itself anew when the stream says that something changed. Cut off, it says so,
// and catches up when the stream is back.
import { cutOff, show } from "./cutoff.js";
import { owed, refresh, rest, take } from "./refresh.js";

const person = document.body.dataset.live;

let stream = null, shown = ""; // the one of all tabs, and what this one told it

const apart = new Set(); // lists that are too long for the stream

// list is the one that the page shows and the stream can keep up to date, "" for
// none.
function list() {
  const feed = document.getElementById("live")?.dataset.feed || "";
  return apart.has(feed) ? "" : feed;
}

// listed says whether the page is a list that the stream keeps up to date.
function listed() { return stream && list() && document.body.dataset.stream === "up"; }

// concerns says whether what changed can stand on the page: of some people, or,
// with none named, of anybody.
function concerns(people) {
  const whose = document.getElementById("live")?.dataset.whose;
  return !listed() && (!whose || !people || people.includes(whose));
}

// told reads anew how many notices the reader hasn't seen, where the page itself isn't read anew.
async function told() {
  const old = document.getElementById("told");
  const answer = old && await fetch("/notices/unseen").catch(function () { return null; });
  if (answer && answer.ok && !answer.redirected) old.outerHTML = await answer.text();
}

function hear(message) {
  switch (message.what) {
    case "changed":
      if (concerns(message.people)) refresh();
      else if (listed() && message.people?.includes(person)) told();
      return;
    case "rows":
      if (!message.patch.apart) { take(message.patch); return; }
      apart.add(message.patch.list);
      shows();
      return;
    case "up":
      document.body.dataset.stream = "up";
      if (cutOff(false) && !listed()) refresh(); // a list is sent what it missed
      return;
    case "down":
      document.body.dataset.stream = "down";
      cutOff(true);
  }
}

// shows tells the stream which list the page shows, and as of when.
function shows() {
  const as = Number(document.getElementById("live")?.dataset.as || 0);
  if (!stream || shown === list() + as) return;
  shown = list() + as;
  stream.postMessage({ list: list(), as: as });
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
  document.addEventListener("focusout", function () { setTimeout(owed, 0); });
  document.addEventListener("toggle", function () { setTimeout(owed, 0); }, true);
  document.addEventListener("htmx:afterSettle", function () { show(); shows(); rest(); });
  document.addEventListener("manudex:refreshed", shows);
  // What time alone brings, such as somebody becoming late, shows within a minute.
  setInterval(function () { if (!listed()) refresh(); }, 60000);
}
rest();
if (!person) document.addEventListener("htmx:afterSettle", rest);
