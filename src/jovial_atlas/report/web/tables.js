// Tables whose columns can be sorted, from their heads.

/** Make the heads of a table buttons that sort by a column; `sortBy` gets its number and 1 or -1. */
function sortable(table, sortBy) {
  const heads = [...table.tHead.rows[0].cells];
  heads.forEach((head, column) => {
    const button = element("button", { type: "button" }, ...head.childNodes);
    head.replaceChildren(button);
    button.addEventListener("click", () => {
      const numeric = head.classList.contains("number");
      const now = head.getAttribute("aria-sort");
      const first = numeric ? "descending" : "ascending";
      const other = numeric ? "ascending" : "descending";
      const next = now === first ? other : first;
      heads.forEach((one) => one.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", next);
      sortBy(column, next === "ascending" ? 1 : -1);
    });
  });
}

const alphabetic = new Intl.Collator(undefined, { numeric: true });

/** The table of marks: sorted, searched, and by group and state. */
function startMarks(choosePages) {
  const table = byId("marks-table");
  if (!table) return;
  const rows = [...table.tBodies[0].rows];
  const texts = rows.map((row) => plain(row.textContent));
  const groups = [...new Set(rows.map((row) => row.cells[1].textContent))];
  fillChoice(byId("marks-group"), groups.map((one) => [one, one]));
  const show = () => {
    const words = wordsOf(byId("marks-search").value);
    const group = byId("marks-group").value;
    const state = byId("marks-state").value;
    let shown = 0;
    rows.forEach((row, place) => {
      const fits = hasWords(texts[place], words)
        && (!group || row.cells[1].textContent === group)
        && (!state || row.dataset.state === state);
      row.hidden = !fits;
      shown += fits;
    });
    byId("marks-status").textContent =
      shown === rows.length ? counted(shown, "mark") : `${written(shown)} of ${counted(rows.length, "mark")}`;
  };
  sortable(table, (column, direction) => {
    const value = (row) => row.cells[column].textContent.trim();
    const numeric = table.tHead.rows[0].cells[column].classList.contains("number");
    const number = (row) => Number(row.cells[column].dataset.value ?? value(row).replaceAll(",", ""));
    rows.sort((a, b) => direction * (numeric ? number(a) - number(b) : alphabetic.compare(value(a), value(b))));
    table.tBodies[0].append(...rows);
  });
  byId("marks-search").addEventListener("input", settled(show));
  for (const name of ["marks-group", "marks-state"]) byId(name).addEventListener("change", show);
  if (choosePages) {
    for (const row of rows.filter((one) => one.dataset.state !== "good")) {
      const open = () => choosePages(row.dataset.mark);
      row.cells[0].querySelector("details").append(
        element("p", {}, element("button", { type: "button", onclick: open }, "Its pages")));
    }
  }
  show();
}
