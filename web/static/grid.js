// The list that is changed where it stands: arrow keys go from cell to cell,
// Enter edits, Enter again keeps, Escape leaves it. What was kept is said
// above the list, with its undo.
import { uuid7 } from "./uuid.js";

const cells = function () { return document.querySelectorAll("table.grid td[data-key-of]"); };

function enter() {
  const table = document.querySelector("table.grid");
  if (!table || table.querySelector('td[tabindex="0"]')) return;
  const first = table.querySelector("td[data-key-of]");
  if (first) first.tabIndex = 0;
}
document.addEventListener("htmx:load", enter);
enter();

function go(cell, dx, dy) {
  const row = cell.parentElement;
  let next = null;
  if (dx) {
    const beside = (c) => dx > 0 ? c.nextElementSibling : c.previousElementSibling;
    for (next = beside(cell); next && !next.dataset.keyOf; ) next = beside(next);
  } else {
    const beneath = (r) => dy > 0 ? r.nextElementSibling : r.previousElementSibling;
    for (let r = beneath(row); r && !next; r = beneath(r)) {
      next = r.querySelector('td[data-key-of="' + cell.dataset.keyOf + '"]');
    }
  }
  if (!next) return;
  cells().forEach(function (c) { c.tabIndex = -1; });
  next.tabIndex = 0;
  next.focus();
}

function edit(cell, typed) {
  const template = document.querySelector('template[data-editor="' + cell.dataset.keyOf + '"]');
  if (!template || cell.querySelector("input, select")) return;
  const box = template.content.firstElementChild.cloneNode(true);
  cell.dataset.text = cell.textContent;
  box.value = typed || cell.dataset.value;
  cell.replaceChildren(box);
  box.focus();
  if (box.select && !typed) box.select();
}

function leave(cell, focus) {
  cell.textContent = cell.dataset.text;
  if (focus) cell.focus();
}

async function keep(cell, focus) {
  const box = cell.querySelector("input, select");
  if (!box || box.disabled) return;
  if (box.value === cell.dataset.value) { leave(cell, focus); return; }
  box.disabled = true;
  const row = cell.closest("tr");
  const employment = row.dataset.employment;
  const form = new URLSearchParams({ id: uuid7(), field: cell.dataset.keyOf, value: box.value,
    employment: /^[0-]+$/.test(employment) ? "" : employment });
  let answer = null;
  try {
    answer = await fetch("/people/" + row.dataset.person + "/set", { method: "POST", body: form, headers: { "X-Cell": "1" } });
  } catch (e) { /* said below */ }
  const got = document.createElement("template");
  if (answer && (answer.ok || answer.status === 422)) got.innerHTML = await answer.text();
  const d = got.content.querySelector("span")?.dataset;
  box.disabled = false;
  if (!d) { say("This could not be sent. Try once more.", true); box.focus(); return; }
  if (d.wrong) { say(d.wrong, true); box.classList.add("is-wrong"); box.focus(); return; }
  cell.dataset.value = d.value;
  cell.dataset.text = d.text;
  leave(cell, focus);
  cell.classList.add("kept");
  say("Saved: " + row.dataset.name + ", " + d.label + ": " + (d.text || "–"), false, d.batch);
}

function say(words, wrong, batch) {
  const line = document.getElementById("saved");
  line.replaceChildren();
  const text = document.createElement("span");
  text.textContent = words;
  line.append(text);
  line.classList.toggle("refused", wrong);
  if (!batch) return;
  const form = document.createElement("form");
  form.method = "post";
  form.action = "/undo";
  for (const [name, value] of [["batch", batch], ["back", location.pathname + location.search]]) {
    const i = document.createElement("input");
    i.type = "hidden"; i.name = name; i.value = value;
    form.append(i);
  }
  const button = document.createElement("button");
  button.className = "btn btn-sm btn-outline-secondary";
  button.dataset.key = "u";
  button.innerHTML = "Undo <kbd>u</kbd>";
  form.append(button);
  line.append(form);
}

document.addEventListener("keydown", function (e) {
  const cell = e.target.closest && e.target.closest("td[data-key-of]");
  if (!cell || e.ctrlKey || e.metaKey || e.altKey) return;
  const box = cell.querySelector("input, select");
  if (box) {
    if (e.key === "Enter") { e.preventDefault(); e.stopPropagation(); keep(cell, true); }
    if (e.key === "Escape") { e.stopPropagation(); leave(cell, true); }
    return;
  }
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
  if (step) { e.preventDefault(); go(cell, step[0], step[1]); return; }
  if (e.key === "Enter") { e.preventDefault(); e.stopPropagation(); edit(cell); }
}, true);

document.addEventListener("dblclick", function (e) {
  const cell = e.target.closest("td[data-key-of]");
  if (cell) edit(cell);
});
document.addEventListener("change", function (e) {
  const cell = e.target.closest("td[data-key-of]");
  if (cell && e.target.matches("select")) keep(cell, true);
});
document.addEventListener("focusout", function (e) {
  const cell = e.target.closest && e.target.closest("td[data-key-of]");
  if (cell && e.target.matches("input") && !e.target.disabled && cell.contains(e.target)) keep(cell, false);
});
