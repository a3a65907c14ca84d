// Rows that are ticked: how many, all at once, and with shift those between. What
// acts on them waits until there are some.
function boxes() { return Array.from(document.querySelectorAll('td.tk input:not([disabled])')); }
let last = null;

function count() {
  const n = boxes().filter((b) => b.checked).length;
  document.querySelectorAll("[data-needs-ticks]").forEach(function (b) { b.disabled = n === 0; });
  const said = document.querySelector("[data-ticked]");
  if (said) { said.hidden = n === 0; said.textContent = n === 1 ? "1 ticked" : n + " ticked"; }
}

document.addEventListener("click", function (e) {
  if (e.target.matches("[data-tick-all]")) {
    boxes().forEach(function (b) { b.checked = e.target.checked; });
  } else if (e.target.matches("td.tk input")) {
    const all = boxes();
    if (e.shiftKey && last) {
      const ends = [all.indexOf(last), all.indexOf(e.target)].sort((a, b) => a - b);
      all.slice(ends[0], ends[1] + 1).forEach(function (b) { b.checked = e.target.checked; });
    }
    last = e.target;
  } else {
    return;
  }
  count();
});

document.addEventListener("keydown", function (e) {
  if (e.key !== "x" || e.target.matches("input, textarea, select")) return;
  const box = document.querySelector("tr.r.sel td.tk input:not([disabled])");
  if (box) box.click();
});

document.addEventListener("htmx:load", count);
count();
