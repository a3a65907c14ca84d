// A map is zoomed by the wheel, by buttons, by keys and by two fingers, and moved
// by dragging: what is shown of it is its viewBox.
function box(svg) { return svg.getAttribute("viewBox").split(" ").map(Number); }

function whole(svg) { return [0, 0, Number(svg.getAttribute("width")), Number(svg.getAttribute("height"))]; }

function show(svg, x, y, w) {
  const all = whole(svg), ratio = all[3] / all[2];
  w = Math.min(Math.max(w, all[2] / 40), all[2]);
  x = Math.min(Math.max(x, 0), all[2] - w);
  y = Math.min(Math.max(y, 0), all[3] - w * ratio);
  svg.setAttribute("viewBox", [x, y, w, w * ratio].join(" "));
  // What is written and marked keeps its size.
  svg.style.setProperty("--zoom", String(w / all[2]));
}

function zoom(svg, by, at) {
  const [x, y, w, h] = box(svg);
  if (by === 0) { show(svg, 0, 0, whole(svg)[2]); return; }
  const [cx, cy] = at || [x + w / 2, y + h / 2];
  show(svg, cx - (cx - x) * by, cy - (cy - y) * by, w * by);
}

function point(svg, e) {
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [p.x, p.y];
}

document.addEventListener("wheel", function (e) {
  const svg = e.target.closest && e.target.closest("svg[data-zoom]");
  if (!svg) return;
  e.preventDefault();
  zoom(svg, e.deltaY > 0 ? 1.25 : 0.8, point(svg, e));
}, { passive: false });

document.addEventListener("click", function (e) {
  const button = e.target.closest && e.target.closest("[data-zoom-by]");
  if (button) zoom(button.closest(".zoombox").querySelector("svg"), Number(button.dataset.zoomBy));
});

document.addEventListener("keydown", function (e) {
  const at = e.target.closest && e.target.closest(".zoombox");
  if (!at || e.target.matches("button")) return;
  const svg = at.querySelector("svg"), [x, y, w, h] = box(svg);
  const to = { ArrowLeft: [x - w / 6, y], ArrowRight: [x + w / 6, y], ArrowUp: [x, y - h / 6], ArrowDown: [x, y + h / 6] }[e.key];
  if (to) { show(svg, to[0], to[1], w); e.preventDefault(); }
  if (e.key === "+" || e.key === "=") zoom(svg, 0.8);
  if (e.key === "-") zoom(svg, 1.25);
  if (e.key === "0") zoom(svg, 0);
});

const held = new Map(); // pointers on a map
document.addEventListener("pointerdown", function (e) {
  const svg = e.target.closest && e.target.closest("svg[data-zoom]");
  if (svg) held.set(e.pointerId, { svg, x: e.clientX, y: e.clientY });
});
document.addEventListener("pointermove", function (e) {
  const was = held.get(e.pointerId);
  if (!was) return;
  const others = Array.from(held.entries()).filter(([id, p]) => id !== e.pointerId && p.svg === was.svg);
  const [x, y, w] = box(was.svg), scale = w / was.svg.getBoundingClientRect().width;
  if (others.length) {
    const o = others[0][1], far = (a) => Math.hypot(a.x - o.x, a.y - o.y);
    const by = far(was) / Math.max(far({ x: e.clientX, y: e.clientY }), 1);
    zoom(was.svg, by, point(was.svg, { clientX: (e.clientX + o.x) / 2, clientY: (e.clientY + o.y) / 2 }));
  } else {
    show(was.svg, x - (e.clientX - was.x) * scale, y - (e.clientY - was.y) * scale, w);
  }
  was.x = e.clientX;
  was.y = e.clientY;
});
for (const end of ["pointerup", "pointercancel"]) {
  document.addEventListener(end, function (e) { held.delete(e.pointerId); });
}
