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
  const spoken = document.getElementById("spoken");
  if (since) say(spoken.dataset.cut + " " + since.toTimeString().slice(0, 5) + ". " + spoken.dataset.known);
}

// say says something there.
export function say(text) {
  if (!box()) return;
  box().hidden = false;
  box().textContent = text;
}
