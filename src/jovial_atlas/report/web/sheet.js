// The sheet of one page: how it is met, its marks, findings and links, what is published and said.

/** Open sheets by the fragment of the address, so that links, history and bookmarks lead to them. */
function startSheets(site, view) {
  const dialog = byId("sheet");
  let shown = "";
  const wanted = () => {
    const found = /^#page=(.+)$/s.exec(location.hash);
    const number = found ? site.numbers.get(found[1]) ?? site.numbers.get(encodeURI(readable(found[1]))) : undefined;
    if (number === undefined) {
      if (dialog.open) dialog.close();
      return;
    }
    shown = location.hash;
    fillSheet(site, number);
    stepsOf(view, number, site);
    if (!dialog.open) dialog.showModal();
    document.body.classList.add("sheet-open");
    dialog.scrollTop = 0;
    byId("sheet-title").focus();
  };
  dialog.addEventListener("close", () => {
    document.body.classList.remove("sheet-open");
    // The event comes late: the address may lead to another page by now.
    if (location.hash === shown) history.replaceState(null, "", `${location.pathname}${location.search}`);
  });
  dialog.addEventListener("click", (event) => {
    if (event.target === dialog) dialog.close();
  });
  byId("sheet-close").addEventListener("click", () => dialog.close());
  addEventListener("hashchange", wanted);
  wanted();
}

/** The buttons to the pages before and after it, in the order of the table. */
function stepsOf(view, number, site) {
  const place = view.chosen.indexOf(number);
  const near = { before: view.chosen[place - 1], after: place < 0 ? undefined : view.chosen[place + 1] };
  for (const [name, other] of Object.entries(near)) {
    const button = byId(`sheet-${name}`);
    button.disabled = other === undefined;
    button.onclick = () => location.replace(`#page=${site.path[other]}`);
  }
}

function fillSheet(site, n) {
  const address = site.path[n].startsWith("/") ? site.site + site.path[n] : site.path[n];
  byId("sheet-title").textContent = site.called[n] || readable(site.path[n]);
  const raising = site.raising[n].map((one) => site.marks[one][0]).join("; ");
  byId("sheet-body").replaceChildren(
    element("p", {}, element("a", { href: address, rel: "noreferrer" }, readable(address))),
    element("dl", { class: "said-of" }, ...pairs([
      ["Section", site.sections[site.section[n]]],
      ["In sitemaps", site.listed[n] ? "listed" : `no: ${site.reasons[site.reason[n]]}`],
      ["Last changed", site.modified[n]],
      ["Target phrase", site.phrases[n]],
      ["Score", site.score[n] === null ? "" : `${site.score[n]} of 100${site.important[n] ? ", as an important page" : ""}`],
      ["Would raise it most", raising],
    ])),
    element("div", { class: "sides" },
      element("div", {}, ...faultsOf(site, n), ...marksOf(site, n), ...linksOf(site, n)),
      element("div", {}, ...looksOf(site, n), ...publishedOf(site, n), ...wordsOfEngines(site, n))));
}

const pairs = (some) =>
  some.filter(([, value]) => value).flatMap(([name, value]) => [element("dt", {}, name), element("dd", {}, value)]);

const heading = (text) => element("h3", {}, text);

function looksOf(site, n) {
  const looks = site.looksOf;
  if (!looks || !looks.title[n]) return [];
  const part = (text, length) => (length < 0 ? text : `${text.slice(0, length)}…`);
  const title = part(looks.title[n], looks.titleShown[n]);
  const host = new URL(site.site).host;
  const trail = [host, ...readable(site.path[n]).split("/").filter(Boolean)].join(" / ");
  const result = (name, narrow) => [
    element("p", { class: "quiet" }, name),
    element("div", { class: narrow ? "met narrow" : "met" },
      element("p", { class: "trail" }, trail),
      element("p", { class: "name" }, title),
      element("p", { class: "text" },
        part(looks.description[n], (narrow ? looks.narrow : looks.wide)[n]) || "no description")),
  ];
  const picture = looks.picture[n];
  const data = site.picturesOf && site.picturesOf[picture];
  return [
    heading("How it is met"),
    ...result("As a result, wide screen", false),
    ...measuresOf("title", looks.title[n], looks.titlePx[n], site.room[0], looks.titleFrom[n]),
    ...measuresOf("description", looks.description[n], looks.descriptionPx[n], site.room[1], looks.descriptionFrom[n]),
    ...result("As a result, narrow screen", true),
    element("p", { class: "quiet" }, "Shared as a card"),
    element("div", { class: "met card" },
      data ? element("img", { src: data, alt: "" })
        : element("div", { class: "hole" }, picture ? readable(picture) : "no picture"),
      element("div", { class: "words" },
        element("p", { class: "host" }, host),
        element("p", { class: "name" }, looks.cardTitle[n] || looks.title[n]),
        element("p", { class: "text" }, (looks.cardText[n] === 0 ? looks.description[n] : looks.cardText[n]) || "no text"))),
  ];
}

function measuresOf(name, text, px, room, from) {
  if (!text) return [];
  const said = `${name}: ${written(px)} of ${written(room)} px, ${counted([...text].length, "character")}, from ${from}`;
  return [element("p", { class: px > room ? "better" : "quiet" }, said)];
}

function faultsOf(site, n) {
  const kinds = new Map();
  for (const one of site.faults[n]) kinds.set(one.name, [...(kinds.get(one.name) ?? []), one]);
  if (!kinds.size) return [];
  return [
    heading("Findings"),
    element("ul", { class: "marks-of" }, ...[...kinds.values()].map((some) => element("li", {},
      element("span", { class: `mark ${some[0].severity}` }, some[0].severity), ` ${some[0].name}`,
      ...some.filter((one) => one.said).map((one) => element("p", { class: "quiet" }, ...coded(one.said)))))),
  ];
}

const STATE_NAMES = ["good", "better", "short", "exempt"];

function marksOf(site, n) {
  if (!site.marksOf || site.score[n] === null) return [];
  const { which, measured, wanted, said, good } = site.marksOf;
  const lacking = which[n].map((one, place) => ({
    mark: site.marks[one >> 2], state: STATE_NAMES[one & 3], measured: measured[n][place], wanted: said[wanted[n][place]],
  }));
  const rank = (one) => ["short", "better", "exempt"].indexOf(one.state);
  lacking.sort((a, b) => rank(a) - rank(b));
  const known = site.measuredOf ? site.measuredOf.good[n] : [];
  return [
    heading("Marks"),
    element("ul", { class: "marks-of" }, ...lacking.map(lackingMark)),
    element("details", {},
      element("summary", {}, `${counted(good[n].length, "mark")} good`),
      element("ul", { class: "marks-of" }, ...good[n].map((one, place) => element("li", {},
        element("span", { class: "mark good" }, "good"), ` ${site.marks[one][0]}`,
        known[place] ? element("p", { class: "quiet" }, known[place]) : null)))),
  ];
}

function lackingMark({ mark, state, measured, wanted }) {
  const [name, , why, fix] = mark;
  return element("li", {},
    element("p", {}, element("span", { class: `mark ${state}` }, state), ` ${name}: ${measured}`),
    element("p", { class: "quiet" }, state === "exempt" ? `Does not count: ${wanted}` : `Right: ${wanted}. ${why}`),
    state === "exempt" ? null : element("p", {}, element("span", { class: "do" }, "Do:"), " ", ...coded(fix)));
}

function linksOf(site, n) {
  if (!site.linksIn) return [];
  const list = (name, some) => element("details", { open: some.length > 0 && some.length <= 12 },
    element("summary", {}, `${counted(some.length, "page")} ${name}`),
    element("ul", { class: "places" }, ...some.map((one) => element("li", {}, pageLink(site, one)))));
  return [
    heading("Links"),
    list(site.linksIn[n].length === 1 ? "links to it" : "link to it", site.linksIn[n]),
    list("it links to", site.linksOut[n].filter((one) => one !== n)),
  ];
}

function publishedOf(site, n) {
  const some = site.publishedOf ? site.publishedOf.published[n] : [];
  return some.length ? [heading("What is published of it"), element("dl", { class: "said-of" }, ...pairs(some))] : [];
}

function wordsOfEngines(site, n) {
  if (!site.wordsOf) return [];
  const rows = site.engines.map((engine, place) => [engine, site.wordsOf.words[place][n]]).filter(([, known]) => known);
  if (!rows.length) return [heading("What engines said"), element("p", { class: "quiet" }, "Nothing yet.")];
  const said = ([, , , indexed]) => (indexed === null ? "not said" : indexed ? "yes" : "no");
  return [
    heading("What engines said"),
    element("table", {},
      element("caption", { class: "unseen" }, "What engines said of this page"),
      element("thead", {}, element("tr", {}, ...["Engine", "Announced", "Visited", "Indexed", "Why not"].map((name) =>
        element("th", { scope: "col" }, name)))),
      element("tbody", {}, ...rows.map(([engine, known]) => element("tr", {},
        element("th", { scope: "row" }, engine), element("td", {}, known[0] || "never"),
        element("td", {}, known[1] ? `${known[1]}${known[2] && known[2] !== 200 ? `, answered ${known[2]}` : ""}` : "not seen"),
        element("td", {}, said(known), known[5] ? ` (${known[5]})` : ""),
        element("td", {}, known[4] || "–"))))),
  ];
}
