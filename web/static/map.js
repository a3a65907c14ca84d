// A click on a map that picks a place writes it into the field that keeps it:
// latitude, longitude and the fence, which stays as it was.
document.addEventListener("click", function (e) {
  const map = e.target.closest("svg[data-pick]");
  if (!map) return;
  const field = document.getElementById(map.dataset.pick);
  if (!field) return;
  const box = map.getBoundingClientRect(), d = map.dataset;
  const x = (e.clientX - box.left) / box.width - 0.5, y = 0.5 - (e.clientY - box.top) / box.height;
  const degree = Math.PI * 6371008.8 / 180, lat = Number(d.lat);
  const north = lat + y * Number(d.high) / degree;
  const east = Number(d.lon) + x * Number(d.across) / (degree * Math.cos(lat * Math.PI / 180));
  const fence = field.value.split(/[ ,;]+/)[2] || "150";
  field.value = north.toFixed(6) + ", " + east.toFixed(6) + ", " + fence;
  field.dispatchEvent(new Event("change", { bubbles: true }));
});
