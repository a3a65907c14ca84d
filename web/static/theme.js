// The theme, set before anything is painted: what was chosen here, else what
// the device asks for.
(function () {
  const dark = matchMedia("(prefers-color-scheme: dark)");
  function now() { return localStorage.getItem("theme") || (dark.matches ? "dark" : "light"); }
  function show() {
    document.documentElement.dataset.bsTheme = now();
    const button = document.getElementById("theme");
    const spoken = document.getElementById("spoken");
    if (button && spoken) button.textContent = now() === "dark" ? spoken.dataset.day : spoken.dataset.night;
  }
  show();
  dark.addEventListener("change", show);
  document.addEventListener("DOMContentLoaded", show);
  document.addEventListener("htmx:afterSettle", show);
  document.addEventListener("click", function (e) {
    if (!e.target.closest("#theme")) return;
    localStorage.setItem("theme", now() === "dark" ? "light" : "dark");
    show();
  });
})();
