"use strict";
// What a page of a site answers to: a box that searches its links, and two versions that are compared.
for (const box of document.querySelectorAll(".find")) {
  const items = box.closest("p").nextElementSibling.children;
  box.addEventListener("input", () => {
    const words = box.value.toLowerCase().split(" ");
    for (const item of items) {
      const text = item.textContent.toLowerCase();
      item.hidden = !words.every((word) => text.includes(word));
    }
  });
}
for (const pairs of document.querySelectorAll(".pairs")) {
  const [from, to] = pairs.querySelectorAll("select");
  const versions = Object.fromEntries(JSON.parse(pairs.querySelector("script").textContent));
  const rows = pairs.querySelector("tbody");
  const show = () => {
    const before = versions[from.value], after = versions[to.value];
    rows.replaceChildren();
    for (const key of [...new Set([...Object.keys(before), ...Object.keys(after)])].sort()) {
      if (before[key] === after[key]) continue;
      const row = rows.insertRow();
      for (const text of [key, before[key] ?? "unset", after[key] ?? "unset"]) row.insertCell().textContent = text;
    }
    if (!rows.rows.length) rows.insertRow().insertCell().textContent = "The two set the same.";
  };
  from.selectedIndex = from.options.length - 1;
  from.addEventListener("change", show);
  to.addEventListener("change", show);
  show();
}
