// The keyboard: / finds, [ ] step the rail, j k move, Enter opens, and
// whatever a button carries in data-key. Keys act on the picked row first,
// then on the page.
function rows() { return Array.from(document.querySelectorAll("tr.r")); }
function picked() { return document.querySelector("tr.r.sel"); }

function move(step) {
  const all = rows();
  if (!all.length) return;
  const at = all.indexOf(picked());
  const next = all[Math.min(Math.max(at + step, 0), all.length - 1)];
  all.forEach(function (r) { r.classList.toggle("sel", r === next); });
  next.scrollIntoView({ block: "nearest" });
}

function press(key) {
  const row = picked();
  const inRow = row && row.querySelector('[data-key="' + key + '"]');
  if (row && (key === "a" || key === "s")) { if (inRow) inRow.click(); return Boolean(inRow); }
  const button = document.querySelector('[data-key="' + key + '"]:not(tr [data-key])');
  if (button) button.click();
  return Boolean(button);
}

document.addEventListener("keydown", function (e) {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (e.key === "Escape" && document.activeElement.id === "find") { closeFound(); document.activeElement.blur(); return; }
  if (e.target.matches("input, textarea, select") || document.querySelector("dialog[open]")) return;
  switch (e.key) {
    case "/": { const find = document.getElementById("find"); if (find) { find.focus(); e.preventDefault(); } return; }
    case "j": move(1); return;
    case "k": move(-1); return;
    case "Enter": if (picked() && !e.target.closest("a, button, summary")) picked().querySelector("a").click(); return;
    case "?": document.getElementById("keys")?.showModal(); return;
    case "e": {
      const stint = Array.from(document.querySelectorAll("svg.bench a")).find((a) => a.getClientRects().length);
      if (stint) { stint.focus(); e.preventDefault(); return; }
    }
    // falls through: there is nothing to change yet, and so something to add
    case "[": case "]": case "a": case "b": case "c": case "n": case "s": case "t": case "u": if (press(e.key)) e.preventDefault();
  }
});

function closeFound() { const f = document.getElementById("found"); if (f) f.replaceChildren(); }

document.addEventListener("click", function (e) {
  if (e.target.closest("#show-keys")) document.getElementById("keys").showModal();
  if (e.target.closest("#print")) window.print();
  if (!e.target.closest(".find") || e.target.closest("#found a")) closeFound();
});

// An undo goes back to the page it is pressed on.
document.addEventListener("submit", function (e) {
  const here = e.target.querySelector("input.here");
  if (here) here.value = location.pathname + location.search;
}, true);
