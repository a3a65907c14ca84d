// The ribbon on which a day is changed: an end is taken hold of and dragged in
// steps of five minutes, or moved with the arrow keys by one; what is typed moves
// it too. On an empty day a stint is begun by drawing on the line. What is sent
// is the form beneath: without this module it is typed there.
const step = 300;

// bench is the ribbon that is shown: there is a wide one, and one for phones.
function bench() { return Array.from(document.querySelectorAll("svg.bench")).find((s) => s.getClientRects().length); }
function editor() { return document.querySelector("form[data-editor]"); }
function field(edge) { const f = editor(); return f && f.elements[edge]; }

function text(svg, unix) {
  return new Intl.DateTimeFormat("en-GB", { timeZone: svg.dataset.zone, hour: "2-digit", minute: "2-digit", hourCycle: "h23" })
    .format(new Date(unix * 1000));
}

function x(svg, unix) { return (unix - Number(svg.dataset.from)) / 3600 * Number(svg.dataset.perHour); }

function unixAt(svg, e) {
  const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return Number(svg.dataset.from) + at.x / Number(svg.dataset.perHour) * 3600;
}

// place moves a grip, with the time at it, and what the picked block spans.
function place(svg, grip, unix) {
  const at = x(svg, unix);
  grip.dataset.at = unix;
  grip.setAttribute("aria-valuenow", unix);
  grip.setAttribute("aria-valuetext", text(svg, unix));
  grip.querySelector(".reach").setAttribute("x", at - 11);
  grip.querySelector(".hold").setAttribute("x", at - 2.5);
  const label = svg.querySelector(grip.dataset.edge === "start" ? ".end.from" : ".end.to");
  label.textContent = text(svg, unix);
  label.setAttribute("x", at);
  const pick = svg.querySelector(".pick");
  const ends = Array.from(svg.querySelectorAll(".grip")).map((g) => x(svg, Number(g.dataset.at)));
  if (ends.length === 2) {
    pick.setAttribute("x", Math.min(...ends));
    pick.setAttribute("width", Math.max(Math.abs(ends[1] - ends[0]) - 1, 1));
  }
}

function say(svg, grip, unix) {
  place(svg, grip, unix);
  const box = field(grip.dataset.edge);
  if (box) box.value = text(svg, unix);
}

document.addEventListener("pointerdown", function (e) {
  const svg = bench();
  const grip = e.target.closest && e.target.closest(".grip");
  if (!svg) return;
  if (grip) {
    e.preventDefault();
    grip.focus();
    drag(svg, (unix) => say(svg, grip, unix));
    return;
  }
  if (svg.hasAttribute("data-draw") && e.target.closest("svg.bench")) begin(svg, e);
});

// drag follows the pointer until it is let go.
function drag(svg, moved, done) {
  const move = (e) => moved(Math.round(unixAt(svg, e) / step) * step);
  const up = function () {
    document.removeEventListener("pointermove", move);
    document.removeEventListener("pointerup", up);
    document.removeEventListener("pointercancel", up);
    if (done) done();
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", up);
  document.addEventListener("pointercancel", up);
}

// begin draws a stint where there is none, and fills its times in.
function begin(svg, e) {
  const from = Math.round(unixAt(svg, e) / step) * step;
  let to = from;
  svg.querySelectorAll(".drawn").forEach((r) => r.remove());
  const rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  rect.setAttribute("class", "hand drawn");
  rect.setAttribute("y", 34);
  rect.setAttribute("height", 30);
  svg.append(rect);
  drag(svg, function (unix) {
    to = unix;
    rect.setAttribute("x", x(svg, Math.min(from, to)));
    rect.setAttribute("width", Math.max(x(svg, Math.max(from, to)) - x(svg, Math.min(from, to)), 1));
  }, function () {
    if (to === from) return;
    const times = [text(svg, Math.min(from, to)), text(svg, Math.max(from, to))];
    if (editor()) { fill(times); return; }
    sessionStorage.setItem("drawn", JSON.stringify(times));
    location.assign(location.pathname + "?add=1#change");
  });
}

function fill(times) {
  field("start").value = times[0];
  field("end").value = times[1];
  editor().elements.why.focus();
}

document.addEventListener("keydown", function (e) {
  const grip = e.target.closest && e.target.closest(".grip");
  const by = { ArrowLeft: -60, ArrowDown: -60, ArrowRight: 60, ArrowUp: 60, PageDown: -step, PageUp: step }[e.key];
  if (!grip || !by) return;
  e.preventDefault();
  say(bench(), grip, Math.round(Number(grip.dataset.at) / 60) * 60 + by);
});

// What is typed moves the end of the picked stint on the ribbon.
document.addEventListener("input", function (e) {
  const svg = bench();
  if (!svg || !e.target.form || e.target.form !== editor() || !/^\d\d:\d\d$/.test(e.target.value)) return;
  const grip = svg.querySelector('.grip[data-edge="' + e.target.name + '"]');
  if (!grip) return;
  const was = Number(grip.dataset.at);
  const minutes = (t) => Number(t.slice(0, 2)) * 60 + Number(t.slice(3));
  let by = minutes(e.target.value) - minutes(text(svg, was));
  if (by > 720) by -= 1440;
  if (by < -720) by += 1440;
  place(svg, grip, Math.floor(was / 60) * 60 + by * 60);
});

document.addEventListener("click", function (e) {
  const take = e.target.closest && e.target.closest("[data-nearest]");
  if (!take) return;
  const box = field(take.dataset.nearest);
  box.value = editor().querySelector("[data-nearest-time]").value;
  box.dispatchEvent(new Event("input", { bubbles: true }));
  box.focus();
});

function load() {
  const drawn = sessionStorage.getItem("drawn");
  if (!drawn || !editor()) return;
  sessionStorage.removeItem("drawn");
  fill(JSON.parse(drawn));
}
document.addEventListener("htmx:load", load);
load();
