"use strict";
const rows = Array.from(document.querySelectorAll("tbody tr"));
const progress = document.getElementById("progress");
function refresh() {
  let answered = 0;
  for (const row of rows) {
    const answer = row.querySelector("select").value;
    const reason = row.querySelector("input");
    reason.required = answer === "take out";
    row.classList.toggle("out", answer === "take out");
    if (answer) answered += 1;
  }
  progress.textContent = answered + " of " + rows.length + " answered";
}
function filter(text) {
  const wanted = text.toLowerCase();
  for (const row of rows) row.hidden = !row.textContent.toLowerCase().includes(wanted);
}
function save() {
  const wrong = rows.find((row) => !row.querySelector("input").checkValidity());
  if (wrong) {
    wrong.hidden = false;
    wrong.querySelector("input").focus();
    progress.textContent = "A reason is wanted for what is to be taken out.";
    return;
  }
  const columns = JSON.parse(document.body.dataset.columns);
  const saved = rows.map((row) => {
    const entry = { item: row.dataset.item };
    columns.forEach((column, at) => { entry[column] = row.cells[at].dataset.value; });
    entry.answer = row.querySelector("select").value;
    entry.reason = row.querySelector("input").value;
    return entry;
  });
  const text = JSON.stringify({ review: document.body.dataset.review, rows: saved }, null, 1);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  link.download = document.body.dataset.review + "-answers.json";
  link.click();
}
document.getElementById("save").addEventListener("click", save);
document.getElementById("filter").addEventListener("input", (event) => filter(event.target.value));
document.querySelector("tbody").addEventListener("input", refresh);
refresh();
