// Lists come in pieces.

// complete fetches the pieces of a list that come after the first.
export async function complete(page) {
  for (let more = page.querySelector("tr.more"); more; more = page.querySelector("tr.more")) {
    const answer = await fetch(more.dataset.more, { headers: { "X-Refresh": "1" } });
    const rows = document.createElement("template");
    if (answer.ok) rows.innerHTML = await answer.text();
    // A list of before isn't known any more: here is the whole, as it is now.
    if (answer.headers.get("X-Whole")) more.closest("tbody").replaceChildren(rows.content);
    else more.replaceWith(rows.content);
  }
}
