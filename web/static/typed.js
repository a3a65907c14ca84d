// What is sent from a form in which somebody typed says so: when it is refused, the
// page stays as it is.
function typed(form) {
  return Array.from(form.elements).some(function (field) {
    if (field.type === "hidden" || field.type === "submit" || field.tagName === "BUTTON") return false;
    if (field.type === "checkbox" || field.type === "radio") return field.checked !== field.defaultChecked;
    if (field.tagName === "SELECT") return Array.from(field.options).some((o) => o.selected !== o.defaultSelected && o.value !== "");
    return field.value !== field.defaultValue;
  });
}

document.addEventListener("htmx:configRequest", function (e) {
  const form = e.target.closest && e.target.closest("form");
  if (form && e.detail.verb !== "get" && typed(form)) e.detail.headers["X-Typed"] = "1";
});
