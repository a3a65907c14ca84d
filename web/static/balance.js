// A hand along the picture of a balance reads any day: by a pointer, by arrows, or a typed date.
function steps(text) {
  return (text || "").trim().split(" ").filter(Boolean).map((part) => part.split(":").map(Number));
}

function at(list, day) {
  let amount = 0;
  for (const [on, to] of list) {
    if (on > day) break;
    amount = to;
  }
  return amount;
}

function span(svg) { return [Number(svg.getAttribute("aria-valuemin")), Number(svg.getAttribute("aria-valuemax"))]; }

function read(svg, day, typed) {
  const [first, last] = span(svg), box = svg.closest(".balanceof");
  day = Math.min(Math.max(Math.round(day), first), last);
  const x = (day - first) / Math.max(last - first, 1) * svg.viewBox.baseVal.width;
  const hand = svg.querySelector(".readline");
  hand.setAttribute("x1", x);
  hand.setAttribute("x2", x);
  const date = new Date(day * 86400000), amount = at(steps(svg.dataset.steps), day).toFixed(2);
  const asked = svg.dataset.asked ? at(steps(svg.dataset.asked), day).toFixed(2) : amount;
  const said = date.toLocaleDateString(document.documentElement.lang, { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });
  svg.setAttribute("aria-valuenow", day);
  svg.setAttribute("aria-valuetext", said + ": " + amount);
  box.querySelector(".reads").textContent = amount;
  const without = box.querySelector(".readsasked");
  if (without) without.textContent = asked;
  const input = box.querySelector("[name=on]");
  if (input && !typed) input.value = date.toISOString().slice(0, 10);
}

function under(svg, e) {
  const [first, last] = span(svg), box = svg.getBoundingClientRect();
  return first + (e.clientX - box.left) / box.width * (last - first);
}

function line(e) { return e.target.closest && e.target.closest("svg.balanceline"); }

for (const name of ["pointerdown", "pointermove"]) {
  document.addEventListener(name, function (e) {
    const svg = line(e);
    if (svg && (name === "pointerdown" || e.pointerType === "mouse" || e.buttons)) read(svg, under(svg, e));
  });
}

const moves = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -7, ArrowUp: 7, PageDown: -30, PageUp: 30 };

document.addEventListener("keydown", function (e) {
  const svg = line(e), now = svg && Number(svg.getAttribute("aria-valuenow"));
  if (!svg || !(e.key in moves || e.key === "Home" || e.key === "End")) return;
  e.preventDefault();
  const [first, last] = span(svg);
  read(svg, e.key === "Home" ? first : e.key === "End" ? last : now + moves[e.key]);
});

document.addEventListener("input", function (e) {
  if (e.target.name !== "on" || !e.target.closest(".balanceof") || !e.target.value) return;
  read(e.target.closest(".balanceof").querySelector("svg.balanceline"), Date.parse(e.target.value + "T00:00:00Z") / 86400000, true);
});
