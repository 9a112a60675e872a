// The findings: they stand in the page; here they are filtered, sorted, and joined to their pages.

const GRAVE = ["blocker", "error", "warning", "advice"];

function startFindings(site) {
  const list = document.querySelector("ul.findings");
  if (!list) return;
  const groups = [...list.children].map((node) => findingOf(node, site));
  const severities = GRAVE.filter((one) => groups.some((group) => group.severity === one));
  fillChoice(byId("findings-severity"), severities.map((one) => [one, one]));
  if (site) fillChoice(byId("findings-section"), site.sections.map((one, place) => [place, one]));
  else byId("findings-section").parentElement.hidden = true;
  const show = () => {
    const choice = {
      words: wordsOf(byId("findings-search").value),
      severity: byId("findings-severity").value,
      section: byId("findings-section").value,
    };
    let places = 0;
    for (const group of groups) places += showGroup(group, choice, site);
    const shown = groups.filter((group) => !group.node.hidden).length;
    byId("findings-status").textContent =
      `${counted(shown, "kind")} of finding, in ${counted(places, "place")}`;
  };
  const order = () => {
    const by = byId("findings-order").value;
    const sorted = [...groups];
    if (by === "places") sorted.sort((a, b) => b.count - a.count);
    if (by === "name") sorted.sort((a, b) => alphabetic.compare(a.name, b.name));
    list.append(...sorted.map((group) => group.node));
  };
  byId("findings-search").addEventListener("input", settled(show));
  for (const name of ["findings-severity", "findings-section"]) byId(name).addEventListener("change", show);
  byId("findings-order").addEventListener("change", order);
  show();
}

function findingOf(node, site) {
  const title = node.querySelector("h3");
  const name = title.lastChild.textContent.trim();
  const group = {
    node, name, severity: node.dataset.severity, count: Number(node.dataset.count),
    text: plain(`${name} ${node.querySelector("code").textContent} ${[...node.querySelectorAll(":scope > p")].map((one) => one.textContent).join(" ")}`),
    places: [], counter: node.querySelector(".count"),
  };
  for (const part of node.querySelectorAll("ul.places, ul.singles")) {
    const before = part.previousElementSibling;
    const shared = part.classList.contains("places") ? before : null;
    for (const place of part.children) group.places.push(placeOf(place, part, shared, site));
  }
  if (!site) return group;
  for (const { page, said, where, node: place } of group.places) {
    if (page === null) continue;
    const words = said ? said.textContent : place.textContent.slice(where.textContent.length).trim();
    site.faults[page].push({ name, severity: group.severity, said: words });
  }
  node.querySelector("details").addEventListener("toggle", () => linked(group, site), { once: true });
  return group;
}

/** One place: its entry, where it says where it is, what is said of it and others, and its page. */
function placeOf(node, part, said, site) {
  const where = node.querySelector("b") ?? node;
  const number = node.dataset.p ?? site?.numbers.get(where.textContent) ?? null;
  return { node, where, part, said, page: site && number !== null ? Number(number) : null, text: null };
}

/** Places that are pages become links to their sheets, once they are looked at. */
function linked(group, site) {
  for (const { where, page } of group.places) {
    if (page === null) continue;
    where.replaceChildren(element("a", { href: `#page=${site.path[page]}` }, readable(where.textContent)));
  }
}

/** Show what of a kind of finding fits; gives the places. */
function showGroup(group, choice, site) {
  const { words, severity, section } = choice;
  const all = (!words.length || hasWords(group.text, words)) && !section;
  let shown = 0;
  if (!severity || severity === group.severity) {
    for (const place of group.places) {
      if (!all && words.length && place.text === null) {
        place.text = `${group.text} ${plain(`${place.said ? place.said.textContent : ""} ${readable(place.node.textContent)}`)}`;
      }
      const fits = all || (hasWords(place.text ?? "", words)
        && (!section || (place.page !== null && site.section[place.page] === Number(section))));
      place.node.hidden = !fits;
      shown += fits;
    }
    if (all) shown = group.count;
  }
  group.node.hidden = !shown;
  group.counter.textContent = shown === group.count ? written(shown) : `${written(shown)} of ${written(group.count)}`;
  if (shown) {
    const alive = new Set();
    for (const place of group.places) if (!place.node.hidden) alive.add(place.part);
    for (const { part, said } of group.places) {
      part.hidden = !alive.has(part);
      if (said) said.hidden = part.hidden;
    }
  }
  return shown;
}
