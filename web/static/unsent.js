// What was pressed and could not be sent is said at once. A punch is sent again
// by itself, the same one, until it is answered; of anything else it is said
// that it may or may not have been done.
import { say } from "./cutoff.js";

const spoken = () => document.getElementById("spoken").dataset;

function unanswered(form, answered) {
  if (form && form.matches("form.punch")) {
    say(spoken().unsent);
    return;
  }
  say(answered ? spoken().records : spoken().unanswered);
}

function sendAgain(e, answered) {
  const form = e.target.closest && e.target.closest("form");
  unanswered(form, answered);
  if (!form || !form.matches("form.punch")) return;
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
