// Elements, numbers, and the data that stands in the page.

/** An element with properties (`class`, attributes, `on…` listeners) and what stands in it. */
function element(name, properties = {}, ...inside) {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(properties)) {
    if (value === null || value === undefined || value === false) continue;
    if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else made.setAttribute(key, value === true ? "" : value);
  }
  made.append(...inside.filter((one) => one !== null && one !== undefined));
  return made;
}

/** A text in which `what is typed` stands between grave accents. */
const coded = (text) => (text.split("`").length % 2 ? text.split("`") : [text]).map((part, place) => (place % 2 ? element("code", {}, part) : part));

const byId = (id) => document.getElementById(id);
const written = (count) => count.toLocaleString("en");
const counted = (count, one, many = one + "s") => `${written(count)} ${count === 1 ? one : many}`;

/** An address as people read it; as it is where it is no UTF-8. */
function readable(path) {
  try {
    return decodeURI(path);
  } catch {
    return path;
  }
}

/** What is searched, in the form in which texts are held against it: small, without accents. */
const plain = (text) => text.toLocaleLowerCase().normalize("NFKD").replace(/\p{M}/gu, "");

/** Whether all words of a search stand in a text that is already plain. */
const hasWords = (text, words) => words.every((word) => text.includes(word));
const wordsOf = (search) => plain(search).split(/\s+/).filter(Boolean);

/** Do something once no key was pressed for a moment. */
function settled(what) {
  let waiting = 0;
  return () => {
    clearTimeout(waiting);
    waiting = setTimeout(what, 120);
  };
}

function fillChoice(select, choices) {
  for (const [value, text] of choices) select.append(element("option", { value }, text));
}

/** One layer of the data, or null where it is not in the page. */
async function layer(name) {
  const node = byId(`data-${name}`);
  if (!node) return null;
  const packed = Uint8Array.from(atob(node.textContent), (one) => one.charCodeAt(0));
  node.remove();
  const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Response(stream).json();
}

/** All that the page knows of the site's pages, or null. */
async function siteData() {
  const site = await layer("pages");
  if (!site) return null;
  const names = ["marks", "words", "links", "published", "looks", "pictures", "measured"];
  const layers = await Promise.all(names.map(layer));
  names.forEach((name, place) => { site[`${name}Of`] = layers[place]; });
  site.count = site.path.length;
  site.numbers = new Map(site.path.map((path, number) => [path, number]));
  site.faults = Array.from({ length: site.count }, () => []);
  if (site.linksOf) joinLinks(site);
  return site;
}

/** Links out as they are written, in steps, and the links in that follow from them. */
function joinLinks(site) {
  site.linksIn = Array.from({ length: site.count }, () => []);
  site.linksOut = site.linksOf.to.map((steps, from) => {
    let to = 0;
    return steps.map((step) => {
      to += step;
      if (to !== from) site.linksIn[to].push(from);
      return to;
    });
  });
}

const pageLink = (site, number) =>
  element("a", { href: `#page=${site.path[number]}` }, readable(site.path[number]));
