// A card reader types like a keyboard, faster than any hand and wherever the cursor is.
// What it types lands in no field that is for something else: it goes to whoever asks for
// swipes on the page, or is forgotten.
// Milliseconds between two keys of a reader at most; the keys that it has typed before an
// Enter at least; and those from which on it can be no hand.
const pause = 25, least = 4, certain = 6;
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
  const fast = text && e.timeStamp - last <= pause; // when the key was pressed, however late the page hears of it
  last = e.timeStamp;
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
  if (fast && text.length >= certain && !asks(e.target)) {
    e.preventDefault();
    e.stopImmediatePropagation();
    restore();
  }
}, true);
