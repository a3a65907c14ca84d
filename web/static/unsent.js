// What was pressed and could not be sent is said at once. A punch is sent again
// by itself, the same one, until it is answered; of anything else it is said
// that it may or may not have been done.
import { say } from "./cutoff.js";
import { waits } from "./queue.js";

const spoken = () => document.getElementById("spoken").dataset;

function unanswered(form, answered) {
  if (form && form.matches("form.punch")) {
    say(spoken().unsent);
    return;
  }
  say(answered ? spoken().records : spoken().unanswered);
}

// Where a page stands in without a connection, a punch waits there; else here.
async function waitsInstead(form, button) {
  const said = new FormData(form, button && button.isConnected ? button : undefined), choice = said.get("choice") || "";
  const or = function (name) { return said.get(name) || undefined; };
  if (form.matches(".crewform")) {
    await waits(document.body.dataset.live, { id: said.get("id"), seen_at: or("seen_at"), seen_wall: or("seen_wall"),
      since: or("since") && Number(said.get("since")), device_at: or("device_at"),
      sheet: { ...Object.fromEntries(said), people: said.getAll("p") } });
    location.assign("/crew");
    return;
  }
  await waits(document.body.dataset.live, { id: said.get("id"), position: form.closest("[data-position]")?.dataset.position || "",
    act: said.get("act"), break: said.get("break") || "", choice: choice, class: said.get("class-" + choice) || "",
    called_in: said.get("called_in") === "yes", meal: said.get("meal") || "", billed: said.get("billed-" + choice) || "",
    seen_at: or("seen_at"), seen_wall: or("seen_wall"), since: or("since") && Number(said.get("since")), device_at: or("device_at"),
    lat: or("lat") && Number(said.get("lat")), lon: or("lon") && Number(said.get("lon")) });
  location.assign("/clock");
}

function sendAgain(e, answered) {
  const form = e.target.closest && e.target.closest("form");
  unanswered(form, answered);
  if (!form || !form.matches("form.punch")) return;
  const by = e.detail.requestConfig && e.detail.requestConfig.triggeringEvent;
  if (!answered && navigator.serviceWorker?.controller && window.indexedDB) {
    waitsInstead(form, by && by.submitter).catch(function () { again(form, e); });
    return;
  }
  again(form, e);
}

function again(form, e) {
  const pressed = e.detail.requestConfig && e.detail.requestConfig.triggeringEvent;
  const button = pressed && pressed.submitter;
  setTimeout(function () {
    if (form.isConnected && form.dataset.pressed) form.requestSubmit(button && button.isConnected ? button : undefined);
  }, 3000);
}
document.addEventListener("htmx:sendError", function (e) { sendAgain(e, false); });
document.addEventListener("htmx:timeout", function (e) { sendAgain(e, false); });
document.addEventListener("htmx:responseError", function (e) { if (e.detail.xhr.status >= 500) sendAgain(e, true); });

// A page that could not be read is read again by itself.
if (document.body.dataset.again) setTimeout(function () { location.reload(); }, 1000 * Number(document.body.dataset.again));
