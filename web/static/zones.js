// A zone is chosen from those that the browser knows. Where none was chosen yet, the
// browser's own stands there.
function zones() {
  for (const field of document.querySelectorAll("input[data-zones]:not([list])")) {
    const list = document.createElement("datalist");
    list.id = field.id + "-list";
    const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
    for (const zone of new Set([own, ...Intl.supportedValuesOf("timeZone")])) list.append(new Option(zone, zone));
    field.after(list);
    field.setAttribute("list", list.id);
    if (field.dataset.zones === "choose") field.value = own;
  }
}
document.addEventListener("htmx:load", zones);
zones();
