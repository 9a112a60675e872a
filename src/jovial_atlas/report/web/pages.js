// The table of all pages: chosen, sorted, a part at a time.

const AT_ONCE = 50;

/** What the table shows of a page: names, what a cell holds, and what it is sorted by. */
function pageColumns(site) {
  const columns = [
    {
      name: "Page", head: true, key: (n) => site.path[n],
      cell: (n) => [
        element("a", { href: `#page=${site.path[n]}` }, site.called[n] || readable(site.path[n])),
        element("span", { class: "path" }, readable(site.path[n])),
      ],
    },
    { name: "Section", key: (n) => site.sections[site.section[n]] },
  ];
  if (site.score.some((one) => one !== null)) {
    columns.push(
      { name: "Score", number: true, key: (n) => site.score[n] ?? -1, cell: (n) => [scoreOf(site, n)] },
      { name: "Would raise it most", key: (n) => site.raising[n].map((one) => site.marks[one][0]).join("; ") });
  }
  columns.push({ name: "Findings", number: true, key: (n) => site.faults[n].length });
  if (site.linksIn) columns.push({ name: "Links in", number: true, key: (n) => site.linksIn[n].length });
  columns.push(
    { name: "In sitemaps", key: (n) => (site.listed[n] ? "listed" : `no: ${site.reasons[site.reason[n]]}`) },
    { name: "Changed", date: true, key: (n) => site.modified[n] });
  return columns;
}

const scoreOf = (site, n) => (site.score[n] === null ? "–" : `${site.score[n]}`);

const STATES = { 1: "better", 2: "short" };

/** Whether a mark of a page is not good. */
const lacks = (site, n, mark) =>
  site.marksOf.which[n].some((one) => one >> 2 === mark && (one & 3) in STATES);

function startPages(site) {
  const columns = pageColumns(site);
  const table = byId("pages-table");
  table.tHead.rows[0].append(...columns.map((one) =>
    element("th", { scope: "col", class: one.number ? "number" : null }, one.name)));
  const view = { site, columns, chosen: [], first: 0, order: mostToGain(site), sort: null };
  const texts = site.path.map((path, n) => plain(`${readable(path)} ${site.called[n]} ${site.phrases[n]}`));
  const choose = () => {
    const choice = pageChoice(site);
    view.chosen = view.order.filter((n) => hasWords(texts[n], choice.words) && choice.fits(n));
    view.first = 0;
    showPages(view);
  };
  const again = () => {
    view.order = view.sort ? sortedPages(site, columns[view.sort[0]], view.sort[1]) : mostToGain(site);
    choose();
  };
  sortable(table, (column, direction) => {
    view.sort = [column, direction];
    again();
  });
  fillPageChoices(site);
  byId("pages-search").addEventListener("input", settled(choose));
  for (const name of ["section", "listed", "mark", "engine"]) byId(`pages-${name}`).addEventListener("change", choose);
  const step = (by) => () => {
    view.first += by;
    showPages(view);
  };
  byId("pages-before").addEventListener("click", step(-AT_ONCE));
  byId("pages-after").addEventListener("click", step(AT_ONCE));
  choose();
  view.chooseMark = (mark) => {
    for (const name of ["search", "section", "listed", "engine"]) byId(`pages-${name}`).value = "";
    byId("pages-mark").value = mark;
    choose();
    byId("pages").scrollIntoView();
    byId("pages-mark").focus({ preventScroll: true });
  };
  return view;
}

function fillPageChoices(site) {
  fillChoice(byId("pages-section"), site.sections.map((one, place) => [place, one]));
  if (site.marksOf && site.marks.length) {
    fillChoice(byId("pages-mark"), site.marks.map(([name], place) => [place, name]));
  } else {
    byId("pages-mark").parentElement.hidden = true;
  }
  if (site.wordsOf) {
    byId("pages-engine-choice").hidden = false;
    site.engines.forEach((engine, place) => fillChoice(byId("pages-engine"), [
      [`${place} yes`, `indexed by ${engine}`],
      [`${place} no`, `left out by ${engine}`],
      [`${place} unknown`, `${engine} has not said`],
    ]));
  }
}

function pageChoice(site) {
  const section = byId("pages-section").value;
  const listed = byId("pages-listed").value;
  const mark = byId("pages-mark").value;
  const [engine, word] = byId("pages-engine").value.split(" ");
  return {
    words: wordsOf(byId("pages-search").value),
    fits: (n) => (!section || site.section[n] === Number(section))
      && (!listed || site.listed[n] === Number(listed))
      && (!mark || lacks(site, n, Number(mark)))
      && (!engine || indexedWord(site, Number(engine), n) === word),
  };
}

function indexedWord(site, engine, n) {
  const known = site.wordsOf.words[engine][n];
  if (!known || known[3] === null) return "unknown";
  return known[3] ? "yes" : "no";
}

/** As `review` lists them: important pages first, then the lowest scores, those without any last. */
function mostToGain(site) {
  const score = (n) => site.score[n] ?? 101;
  return [...site.path.keys()].sort((a, b) => site.important[b] - site.important[a] || score(a) - score(b) || a - b);
}

function sortedPages(site, column, direction) {
  const keys = site.path.map((_, n) => column.key(n));
  const compare = column.number ? (a, b) => keys[a] - keys[b] : (a, b) => alphabetic.compare(keys[a], keys[b]);
  return [...site.path.keys()].sort((a, b) => direction * compare(a, b) || a - b);
}

function showPages(view) {
  const { site, columns, chosen, first } = view;
  const some = chosen.slice(first, first + AT_ONCE);
  byId("pages-table").tBodies[0].replaceChildren(...some.map((n) => element("tr", {}, ...columns.map((column) =>
    element(column.head ? "th" : "td", { scope: column.head ? "row" : null, class: column.number ? "number" : column.date ? "date" : null },
      ...(column.cell ? column.cell(n) : [`${column.key(n)}`]))))));
  const of = chosen.length === site.count ? counted(site.count, "page")
    : `${counted(chosen.length, "page")} chosen of ${written(site.count)}`;
  byId("pages-status").textContent = some.length
    ? `${written(first + 1)} to ${written(first + some.length)} of ${of}` : "No page is so; choose less.";
  byId("pages-before").disabled = first === 0;
  byId("pages-after").disabled = first + AT_ONCE >= chosen.length;
}
