// The worker's own page: each punch carries an id made here and what the
// device's clock says, and goes once however often the button is pressed.
// What is running ticks. Where it is made is found first: the form is held back
// for it.
import "./place.js";
import { uuid7 } from "./uuid.js";

// What the server's time was when this page came, and the device's clocks then:
// a punch that can't be sent at once is still made when it was pressed.
const seen = new WeakMap();

function prepare() {
  document.querySelectorAll("form.punch .punch-id").forEach(function (i) {
    if (!i.dataset.made) { i.value = uuid7(); i.dataset.made = "1"; }
  });
  document.querySelectorAll("form.punch .seen-at").forEach(function (i) {
    const known = seen.get(i);
    if (!known || known.at !== i.value) seen.set(i, { at: i.value, mono: performance.now(), wall: new Date() });
  });
}

// press notes when a form is pressed: the first time, for pressing again sends
// the same punch.
function press(form) {
  const known = seen.get(form.querySelector(".seen-at"));
  if (!form.dataset.pressed) {
    form.dataset.pressed = "1";
    form.querySelector(".device-at").value = new Date().toISOString();
    if (known) {
      form.querySelector(".since").value = Math.round(performance.now() - known.mono);
      form.querySelector(".seen-wall").value = known.wall.toISOString();
    }
  }
  form.querySelector(".sent-at").value = new Date().toISOString();
}

document.addEventListener("submit", function (e) {
  const form = e.target.closest("form.punch");
  if (!form) return;
  if (form.dataset.sent) { e.preventDefault(); e.stopImmediatePropagation(); return; }
  form.dataset.sent = "1";
  press(form);
}, true);
function free() { document.querySelectorAll("form.punch[data-sent]").forEach(function (f) { delete f.dataset.sent; }); }
["htmx:afterSettle", "htmx:sendError", "htmx:timeout", "htmx:responseError", "manudex:refreshed"].forEach(function (n) {
  document.addEventListener(n, function () { free(); prepare(); });
});
prepare();

// Whoever has worked so long that a meal would be taken out is asked for it, from then
// on, on a page that has stood open as well.
function askMeal() {
  const asks = document.querySelector("[data-meal-from]"), plain = document.querySelector("[data-meal-until]");
  if (!asks || !plain) return;
  const known = seen.get(asks.querySelector(".seen-at"));
  if (!known) return;
  const now = Date.parse(known.at) + performance.now() - known.mono;
  const due = now >= Date.parse(asks.dataset.mealFrom);
  asks.hidden = !due;
  plain.hidden = due;
}

setInterval(function () {
  askMeal();
  document.querySelectorAll("[data-tick]").forEach(function (el) {
    if (el.dataset.at !== el.dataset.base) { el.dataset.at = el.dataset.base; el.dataset.from = String(performance.now()); }
    const seconds = Number(el.dataset.base) + Math.floor((performance.now() - Number(el.dataset.from)) / 1000);
    el.textContent = Math.floor(seconds / 3600) + ":" + String(Math.floor(seconds / 60) % 60).padStart(2, "0");
  });
}, 1000);
