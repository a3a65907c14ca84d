// A crew's sheet: everybody ticked, or nobody, and a day that is looked at as it is picked.
function boxes() { return Array.from(document.querySelectorAll('.crewline input[type="checkbox"]')); }

document.addEventListener("click", function (e) {
  const all = e.target.closest("[data-tick-everybody]"), none = e.target.closest("[data-tick-nobody]");
  if (all || none) boxes().forEach(function (b) { b.checked = Boolean(all) && !b.closest(".gone"); });
});

// What was found is chosen at once where it is the only one.
document.addEventListener("htmx:afterSettle", function (e) {
  if (e.target.id !== "crew-found") return;
  const found = e.target.querySelectorAll("option");
  if (found.length) document.getElementById("crew-job").value = found[0].value;
});
