// One press copies a text, or prints the page.
document.addEventListener("click", async function (e) {
  const copy = e.target.closest("[data-copy]");
  if (e.target.closest("[data-print]")) window.print();
  if (!copy) return;
  const was = copy.textContent;
  try {
    await navigator.clipboard.writeText(copy.dataset.copy);
    copy.textContent = "Copied";
  } catch (err) { // a page without HTTPS may not: the text is picked, to be copied by hand
    const text = copy.parentElement.querySelector(".link");
    getSelection().selectAllChildren(text || copy);
    copy.textContent = "Picked: copy it";
  }
  setTimeout(function () { copy.textContent = was; }, 4000);
});
