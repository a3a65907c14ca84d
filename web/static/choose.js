// A choice that takes effect when it is made sends its form; and a group of
// settings that an address points at is open.
document.addEventListener("change", function (e) {
  if (e.target.matches("select[data-sends]")) e.target.form.requestSubmit();
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
