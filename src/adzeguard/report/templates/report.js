"use strict";
const collator = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });
for (const table of document.querySelectorAll("table")) {
  const body = table.tBodies[0];
  const count = document.getElementById(table.id + "-count");
  const all = Array.from(body.rows);
  const heads = Array.from(table.tHead.rows[0].cells);
  heads.forEach((head, at) => {
    head.querySelector("button").addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") === "ascending";
      for (const other of heads) other.setAttribute("aria-sort", "none");
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      const keyed = all.map((row, place) => [row.cells[at].textContent, place, row]);
      keyed.sort((a, b) => (down ? -1 : 1) * collator.compare(a[0], b[0]) || a[1] - b[1]);
      body.append(...keyed.map((one) => one[2]));
    });
  });
  document.getElementById(table.id + "-find").addEventListener("input", (event) => {
    const words = event.target.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    for (const row of all) {
      const text = row.textContent.toLowerCase();
      row.hidden = !words.every((word) => text.includes(word));
      if (!row.hidden) shown += 1;
    }
    count.textContent = shown + " of " + all.length + " rows";
  });
}
