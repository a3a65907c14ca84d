// Whether the page hears of changes, and the line that says so.
let since = null;

function box() { return document.getElementById("cutoff"); }

// cutOff notes that the stream is lost, or that it is back; it says whether that
// is news.
export function cutOff(lost) {
  if (lost === Boolean(since)) return false;
  since = lost ? new Date() : null;
  show();
  return true;
}

// show says how it stands, on a page that has just come.
export function show() {
  if (!box()) return;
  box().hidden = !since;
  if (since) say("Cut off since " + since.toTimeString().slice(0, 5) + ". " +
    "This page shows what was known then and catches up by itself.");
}

// say says something there.
export function say(text) {
  if (!box()) return;
  box().hidden = false;
  box().textContent = text;
}
