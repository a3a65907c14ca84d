// Where a punch is made, for those whose location is taken. A punch waits for
// it a few seconds at most: the server says whether it can go without.
const patience = 5000, fresh = 60000;
let known = null; // the last place, with when it was found

function wanted() { return document.querySelector("[data-location]"); }

// find gives the place, or null where there is none to be had in time.
function find() {
  // Not at once: a form isn't sent from within its own sending.
  if (known && Date.now() - known.at < fresh) return new Promise(function (resolve) { setTimeout(resolve, 0, known); });
  if (!navigator.geolocation) return Promise.resolve(null);
  return new Promise(function (resolve) {
    const give = function (p) { clearTimeout(late); resolve(p); };
    const late = setTimeout(function () { resolve(null); }, patience);
    navigator.geolocation.getCurrentPosition(function (p) {
      known = { lat: p.coords.latitude, lon: p.coords.longitude, at: Date.now() };
      give(known);
    }, function () { give(null); }, { enableHighAccuracy: true, maximumAge: fresh, timeout: patience });
  });
}

document.addEventListener("submit", function (e) {
  const form = e.target.closest("form.punch");
  if (!form || !wanted() || form.dataset.placed) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  if (form.dataset.placing) return;
  form.dataset.placing = "1";
  const button = e.submitter;
  if (button) button.setAttribute("aria-busy", "true");
  find().then(function (p) {
    delete form.dataset.placing;
    if (button) button.removeAttribute("aria-busy");
    if (!form.isConnected) return;
    form.querySelector(".lat").value = p ? p.lat : "";
    form.querySelector(".lon").value = p ? p.lon : "";
    form.dataset.placed = "1";
    form.requestSubmit(button);
    delete form.dataset.placed;
  });
}, true);

// The place is asked for as the page opens, so that a punch needn't wait.
function begin() { if (wanted()) find(); }
begin();
document.addEventListener("htmx:afterSettle", begin);

// Along the way: while on the clock and as long as the page is open.
let sentAt = 0;
setInterval(function () {
  const page = document.querySelector('[data-location="along"][data-running]');
  if (!page || Date.now() - sentAt < Number(page.dataset.every) * 1000) return;
  sentAt = Date.now();
  find().then(function (p) {
    if (!p) return;
    fetch("/clock/place", { method: "POST", body: new URLSearchParams({ lat: p.lat, lon: p.lon }) }).catch(function () { sentAt = 0; });
  });
}, 5000);
