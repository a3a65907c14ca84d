// A click on a map that picks a place. A job's goes into the one field that
// keeps it: latitude, longitude and the fence, which stays as it was. A site's
// goes into the form that was last written in, or that of the new site.
let site = null;
document.addEventListener("focusin", function (e) {
  const form = e.target.closest("#sites form");
  if (form && form.elements.lat) site = form;
});

document.addEventListener("click", function (e) {
  const map = e.target.closest("svg[data-pick]");
  if (!map) return;
  const box = map.getBoundingClientRect(), d = map.dataset;
  const x = (e.clientX - box.left) / box.width - 0.5, y = 0.5 - (e.clientY - box.top) / box.height;
  const degree = Math.PI * 6371008.8 / 180, middle = Number(d.lat);
  const lat = (middle + y * Number(d.high) / degree).toFixed(6);
  const lon = (Number(d.lon) + x * Number(d.across) / (degree * Math.cos(middle * Math.PI / 180))).toFixed(6);
  if (d.pick === "sites") {
    const forms = Array.from(document.querySelectorAll("#sites form")).filter(function (f) { return f.elements.lat; });
    const form = site && site.isConnected ? site : forms[forms.length - 1];
    form.elements.lat.value = lat;
    form.elements.lon.value = lon;
    if (!form.elements.fence.value) form.elements.fence.value = "150";
    form.querySelector("button").focus();
    return;
  }
  const field = document.getElementById(d.pick);
  if (!field) return;
  field.value = lat + ", " + lon + ", " + (field.value.split(/[ ,;]+/)[2] || "150");
  field.dispatchEvent(new Event("change", { bubbles: true }));
});
