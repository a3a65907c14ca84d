// The plan is drawn with the pointer: a shift on an empty stretch of a row, its ends taken
// hold of, all of it moved to another time, day or person; with Ctrl or Alt held it is
// copied. What was drawn is sent as a form, as the form of a shift is.
import { uuid7 } from "./uuid.js";

const grid = 300; // seconds
const reach = 6; // pixels around an end
let press = null;

function svgOf(e) { return e.target.closest && e.target.closest("svg.planrow[data-employment]"); }

// unixAt is which instant a row shows at a pointer.
function unixAt(svg, e) {
  const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const from = Number(svg.dataset.from), to = Number(svg.dataset.to);
  return from + (to - from) * at.x / svg.viewBox.baseVal.width;
}

function round(unix) { return Math.round(unix / grid) * grid; }

function clock(svg, unix) {
  return new Intl.DateTimeFormat("en-GB", { timeZone: svg.dataset.zone, weekday: "short", hour: "2-digit", minute: "2-digit",
    hourCycle: "h23" }).format(new Date(unix * 1000));
}

// partOf says which part of a shift is taken hold of.
function partOf(svg, shift, e) {
  const box = shift.querySelector(".hit").getBoundingClientRect();
  if (e.clientX - box.left < reach) return "start";
  if (box.right - e.clientX < reach) return "end";
  return "whole";
}

function ghost(svg) {
  const g = document.createElementNS(svg.namespaceURI, "g");
  g.setAttribute("class", "ghost");
  for (const [name, of] of [["rect", { y: 2, height: 20 }], ["text", { y: 35 }]]) {
    const n = g.appendChild(document.createElementNS(svg.namespaceURI, name));
    for (const [k, v] of Object.entries(of)) n.setAttribute(k, v);
  }
  return g;
}

function lay(p) {
  const from = Number(p.row.dataset.from), to = Number(p.row.dataset.to), w = p.row.viewBox.baseVal.width;
  const x = function (unix) { return (unix - from) / (to - from) * w; };
  if (p.ghost.ownerSVGElement !== p.row) p.row.append(p.ghost);
  const [rect, text] = p.ghost.children;
  rect.setAttribute("x", x(p.start));
  rect.setAttribute("width", Math.max(1, x(p.end) - x(p.start)));
  text.setAttribute("x", x(p.start));
  text.textContent = clock(p.row, p.start) + " – " + clock(p.row, p.end).slice(-5) + (p.copy ? ", a copy" : "");
}

document.addEventListener("pointerdown", function (e) {
  const svg = svgOf(e);
  if (!svg || e.button !== 0 || e.pointerType === "touch") return;
  drop();
  const shift = e.target.closest("a.shift"), at = unixAt(svg, e);
  press = { row: svg, at: at, x: e.clientX, y: e.clientY, shift: shift, part: shift ? partOf(svg, shift, e) : "new", moved: false,
    ghost: ghost(svg), start: round(at), end: round(at), was: null };
  if (shift) {
    press.was = [Number(shift.dataset.start), Number(shift.dataset.end)];
    [press.start, press.end] = press.was;
  }
  e.preventDefault();
});

document.addEventListener("pointermove", function (e) {
  const p = press;
  if (!p || p.part === "keys") return;
  if (!p.moved && Math.hypot(e.clientX - p.x, e.clientY - p.y) < 4) return;
  p.moved = true;
  p.copy = p.part === "whole" && (e.ctrlKey || e.altKey);
  const over = p.part === "whole" && document.elementFromPoint(e.clientX, e.clientY)?.closest("svg.planrow[data-employment]");
  if (over) p.row = over;
  const at = unixAt(p.row, e), by = round(at - p.at);
  switch (p.part) {
    case "new": p.start = round(Math.min(p.at, at)); p.end = round(Math.max(p.at, at)); break;
    case "start": p.start = Math.min(round(at), p.was[1] - grid); break;
    case "end": p.end = Math.max(round(at), p.was[0] + grid); break;
    default: p.start = p.was[0] + by; p.end = p.was[1] + by;
  }
  lay(p);
});

// send posts what was drawn by the page's hidden form.
function send(fields) {
  const form = document.getElementById("drawn");
  if (!form) return;
  form.querySelectorAll("input:not([name=back])").forEach(function (i) { i.remove(); });
  for (const [name, value] of Object.entries(fields)) {
    const input = form.appendChild(document.createElement("input"));
    input.type = "hidden"; input.name = name; input.value = value;
  }
  form.requestSubmit();
}

function drop() {
  press?.ghost.remove();
  press = null;
}

// keep sends what was made of a press.
function keep(p) {
  const id = uuid7(), at = { start: p.start, end: p.end };
  const who = p.row.dataset.employment;
  const on = p.row.dataset.on, was = p.shift && p.shift.ownerSVGElement.dataset.on; // a row of a job's
  if (on && on !== was) at.choice = on;
  if (p.part === "new") { send({ id: id, employment: who, like: "yes", ...at }); return; }
  if (p.copy) { send({ id: id, employment: who, of: p.shift.dataset.id, ...at }); return; }
  if (p.start === p.was[0] && p.end === p.was[1] && p.row === p.shift.ownerSVGElement) return;
  send({ batch: id, shift: p.shift.dataset.id, seen: p.shift.dataset.seen, employment: who, ...at });
}

document.addEventListener("pointerup", function () {
  const p = press;
  if (!p || p.part === "keys") return;
  drop();
  if (!p.moved || p.end <= p.start) return;
  // The press ends in a click on the link of the shift: it has moved, and isn't opened.
  const swallow = function (c) { c.preventDefault(); c.stopPropagation(); };
  addEventListener("click", swallow, true);
  setTimeout(function () { removeEventListener("click", swallow, true); }, 0);
  keep(p);
});

document.addEventListener("pointercancel", drop);

// With a shift in hand, arrows move its end by a minute, with Shift its start; with Ctrl all
// of it by five. Up and down take it to another person. Enter keeps it, Escape lets go.
const minute = 60;
const steps = { ArrowLeft: -1, ArrowRight: 1 };
const rowsAway = { ArrowUp: -1, ArrowDown: 1 };

function move(p, e) {
  const by = steps[e.key];
  if (!by) {
    const rows = [...document.querySelectorAll("svg.planrow[data-employment]")];
    p.row = rows[rows.indexOf(p.row) + rowsAway[e.key]] || p.row;
  } else if (e.ctrlKey) {
    p.start += by * grid; p.end += by * grid;
  } else if (e.shiftKey) {
    p.start = Math.min(p.start + by * minute, p.end - minute);
  } else {
    p.end = Math.max(p.end + by * minute, p.start + minute);
  }
}

// tell says to whoever doesn't see the picture where the shift is now.
function tell(p) {
  const says = document.getElementById("drawnsays");
  if (says) says.textContent = p.row.dataset.name + ", " + p.ghost.children[1].textContent;
}

document.addEventListener("keydown", function (e) {
  if (e.key === "Escape") { drop(); return; }
  const shift = e.target.closest && e.target.closest("a.shift[data-id]");
  if (!shift || !svgOf(e)) return;
  if (e.key === "Enter" && press && press.part === "keys") {
    const p = press;
    e.preventDefault();
    drop();
    keep(p);
  }
  if (!(e.key in steps) && !(e.key in rowsAway)) return;
  e.preventDefault();
  if (!press) {
    const at = [Number(shift.dataset.start), Number(shift.dataset.end)];
    press = { row: svgOf(e), shift: shift, part: "keys", start: at[0], end: at[1], was: at, ghost: ghost(svgOf(e)) };
  }
  move(press, e);
  lay(press);
  tell(press);
});

document.addEventListener("focusout", function () { if (press && press.part === "keys") drop(); });

// A link that is dragged by the browser's own hand would take the shift away.
document.addEventListener("dragstart", function (e) { if (svgOf(e)) e.preventDefault(); });
