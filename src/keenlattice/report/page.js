"use strict";
// What a page answers to: a pointer on a figure, a box that searches the links, two versions that are compared.
for (const figure of document.querySelectorAll("figure[data-answers]")) {
  const areas = JSON.parse(figure.dataset.answers);
  const svg = figure.querySelector("svg"), reading = figure.querySelector(".reading");
  const mark = document.createElementNS("http://www.w3.org/2000/svg", "circle");
  mark.setAttribute("class", "pointed");
  mark.setAttribute("r", "4");
  const invites = "Point at the figure to read it.";
  const show = (event) => {
    const frame = svg.getBoundingClientRect(), scale = svg.viewBox.baseVal.width / frame.width;
    const x = (event.clientX - frame.left) * scale, y = (event.clientY - frame.top) * scale;
    // Names and intervals beside a figure's axes belong to its rows: those answer over the whole width.
    const area = areas.find(({ along, box: [left, top, right, bottom] }) =>
      y >= top && y <= bottom && (along === "y" || (x >= left && x <= right)));
    if (!area) return leave();
    const distance = area.along === "x" ? (point) => Math.abs(point[0] - x) : (point) => Math.abs(point[1] - y);
    const nearest = area.points.reduce((best, point) => (distance(point) < distance(best) ? point : best));
    mark.setAttribute("cx", nearest[0]);
    mark.setAttribute("cy", nearest[1]);
    svg.append(mark);
    reading.textContent = nearest[2];
  };
  const leave = () => {
    mark.remove();
    reading.textContent = invites;
  };
  svg.addEventListener("pointermove", show);
  svg.addEventListener("pointerdown", show);
  svg.addEventListener("pointerleave", leave);
  reading.hidden = false;
  leave();
}
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
