// node makes an element: its attributes, what it says, and what is in it.
export function node(tag, of, text, inside) {
  const n = document.createElement(tag);
  for (const [name, value] of Object.entries(of)) n.setAttribute(name, value);
  if (text) n.textContent = text;
  n.append(...(inside || []));
  return n;
}

// button makes a button that does something.
export function button(text, style, press) {
  const b = node("button", { type: "button", class: style }, text);
  b.addEventListener("click", press);
  return b;
}
