// The axis above the timecards is brushed: drawn over from one time to another, it
// shows who was at work then.
const quarter = 900;

function axis(e) { return e.target.closest && e.target.closest(".ledger.list th.rb svg.hours"); }

function time(svg, unix) {
  return new Intl.DateTimeFormat("en-GB", { timeZone: svg.dataset.zone, hour: "2-digit", minute: "2-digit", hourCycle: "h23" })
    .format(new Date(unix * 1000));
}

function unixAt(svg, e) {
  const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return Math.round((Number(svg.dataset.from) + at.x / Number(svg.dataset.perHour) * 3600) / quarter) * quarter;
}

document.addEventListener("pointerdown", function (e) {
  const svg = axis(e), find = document.getElementById("find-cards");
  if (!svg || !find) return;
  e.preventDefault();
  const from = unixAt(svg, e);
  let to = from;
  const rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  rect.setAttribute("class", "brush");
  rect.setAttribute("height", 14);
  svg.prepend(rect);
  const move = function (m) {
    to = unixAt(svg, m);
    const x = (unix) => (unix - Number(svg.dataset.from)) / 3600 * Number(svg.dataset.perHour);
    rect.setAttribute("x", Math.min(x(from), x(to)));
    rect.setAttribute("width", Math.abs(x(to) - x(from)));
  };
  const up = function () {
    document.removeEventListener("pointermove", move);
    document.removeEventListener("pointerup", up);
    document.removeEventListener("pointercancel", up);
    rect.remove();
    if (to === from) return;
    const term = "between " + time(svg, Math.min(from, to)) + " and " + time(svg, Math.max(from, to));
    const others = find.value.split(",").map((t) => t.trim()).filter((t) => t && !/^(at work )?between /.test(t));
    find.value = others.concat(term).join(", ");
    find.dispatchEvent(new Event("change", { bubbles: true }));
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", up);
  document.addEventListener("pointercancel", up);
});
