// A card reader types like a keyboard, faster than any hand and wherever the cursor is.
// What it types lands in no field that is for something else: it goes to whoever asks for
// swipes on the page, or is forgotten.
const pause = 45, least = 4; // milliseconds between two keys at most, and keys, of a reader
let text = "", last = 0, field = null, before = "", takes = null;

// onSwipe says who takes what a reader types.
export function onSwipe(take) { takes = take; }

function asks(target) { return Boolean(target.closest && target.closest("[data-swipes]")); }

function restore() {
  if (field && "value" in field && field.value !== before) {
    field.value = before;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
}

document.addEventListener("keydown", function (e) {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  const now = performance.now(), fast = text && now - last <= pause;
  last = now;
  if (e.key === "Enter") {
    const read = fast && text.length >= least ? text : "";
    text = "";
    if (!read || asks(e.target)) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    restore();
    if (takes) takes(read);
    return;
  }
  if (e.key.length !== 1) return;
  if (!fast) {
    text = "";
    field = e.target;
    before = "value" in field ? field.value : "";
  }
  text += e.key;
  if (fast && text.length >= least && !asks(e.target)) {
    e.preventDefault();
    e.stopImmediatePropagation();
    restore();
  }
}, true);
