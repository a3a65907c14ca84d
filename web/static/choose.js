// A choice that takes effect when it is made sends its form; and a group of
// settings that an address points at is open.
document.addEventListener("change", function (e) {
  const box = e.target;
  const half = box.type === "date" && box.value < "2000"; // its year is still being typed
  if (box.matches("[data-sends]") && !half) box.form.requestSubmit();
});

function reveal() {
  const at = location.hash.length > 1 && document.getElementById(location.hash.slice(1));
  const group = at && at.closest("details.group");
  if (!group || group.open) return;
  group.open = true;
  at.scrollIntoView();
}
document.addEventListener("htmx:load", reveal);
addEventListener("hashchange", reveal);
reveal();
