// Rows that the stream sends are laid over those that stand there.

// lay puts the rows of a patch where they belong, the last first, so that each
// finds the one below it.
export function lay(body, patch) {
  const stay = new Set((patch.rows || []).map(function (row) { return row.id; }));
  if (patch.whole) body.querySelectorAll("tr[id]").forEach(function (row) { if (!stay.has(row.id)) row.remove(); });
  for (const id of patch.gone || []) if (!stay.has(id)) document.getElementById(id)?.remove();
  for (const row of (patch.rows || []).slice().reverse()) layRow(body, row);
  for (const [id, html] of Object.entries(patch.parts || {})) {
    const part = document.getElementById(id);
    if (!part) continue;
    Idiomorph.morph(part, html, { morphStyle: "innerHTML", ignoreActiveValue: true });
    htmx.process(part);
  }
  if (patch.now) body.querySelectorAll("line.now").forEach(function (line) { moveTo(line, patch.now); });
}

// carryTicks ticks in what comes what is ticked in what stands there, and nothing that was
// unticked there; whoever has left since is nobody's choice any more.
export function carryTicks(there, fresh) {
  const ticks = ":is(td.tk, .crewline) input[type=checkbox]";
  there.querySelectorAll(ticks).forEach(function (box) {
    const same = fresh.querySelector(`${ticks}[name="${CSS.escape(box.name)}"][value="${CSS.escape(box.value)}"]`);
    if (same && !same.closest(".gone")) same.checked = box.checked;
  });
}

function layRow(body, row) {
  const below = row.before ? document.getElementById(row.before) : null;
  let there = document.getElementById(row.id);
  // A row that stands below what is loaded comes with its piece.
  if (row.before && !below) { there?.remove(); return; }
  const picked = there && there.classList.contains("sel");
  if (!there) {
    there = document.createElement("tr");
    there.id = row.id;
  }
  if (!there.isConnected || there.nextElementSibling !== below) body.insertBefore(there, below);
  const fresh = document.createElement("template");
  fresh.innerHTML = row.html;
  carryTicks(there, fresh.content);
  if (picked) fresh.content.firstElementChild.classList.add("sel");
  Idiomorph.morph(there, fresh.content.firstElementChild, { ignoreActiveValue: true });
  htmx.process(document.getElementById(row.id));
}

// moveTo moves the line at now: it stands some pixels an hour from where the
// axis begins.
function moveTo(line, now) {
  const x = (now - Number(line.dataset.from)) / 3600 * Number(line.dataset.perHour);
  line.setAttribute("x1", x.toFixed(1));
  line.setAttribute("x2", x.toFixed(1));
}
