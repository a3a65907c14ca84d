// The day rail: a click is a link; shift-click or a drag picks a span.
let from = null;

function go(a, b) {
  const days = [a, b].sort();
  const url = new URL(location.href);
  const screens = ["/today", "/timecards"];
  if (!screens.includes(url.pathname)) url.pathname = "/timecards";
  ["day", "from", "to", "offset"].forEach(function (k) { url.searchParams.delete(k); });
  if (days[0] === days[1] || url.pathname === "/today") url.searchParams.set("day", b);
  else { url.searchParams.set("from", days[0]); url.searchParams.set("to", days[1]); }
  location.assign(url);
}

document.addEventListener("click", function (e) {
  const day = e.target.closest(".rail .day");
  if (!day || !e.shiftKey) return;
  e.preventDefault();
  e.stopPropagation();
  go(day.closest(".rail").dataset.from, day.dataset.day);
}, true);

document.addEventListener("pointerdown", function (e) {
  const day = e.target.closest(".rail .day");
  from = day && e.pointerType === "mouse" ? day.dataset.day : null;
});

document.addEventListener("pointerup", function (e) {
  const day = e.target.closest(".rail .day");
  if (from && day && day.dataset.day !== from) go(from, day.dataset.day);
  from = null;
});
