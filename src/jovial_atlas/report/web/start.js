// What happens when the page is opened.

/** The colours that were chosen; they are kept where the browser lets a file keep anything. */
function startColours() {
  const select = byId("colours");
  const kept = () => {
    try {
      return localStorage.getItem("colours") ?? "";
    } catch {
      return "";
    }
  };
  const use = (name) => {
    if (name) document.documentElement.dataset.colours = name;
    else delete document.documentElement.dataset.colours;
  };
  select.value = kept();
  use(select.value);
  select.addEventListener("change", () => {
    use(select.value);
    try {
      localStorage.setItem("colours", select.value);
    } catch {
      // The choice holds until the page is closed.
    }
  });
}

async function start() {
  startColours();
  let site = null;
  try {
    site = await siteData();
  } catch (error) {
    const trouble = byId("trouble");
    trouble.textContent = `This browser cannot unpack the pages of the report (${error.message}); a newer one can. Findings and figures are all here.`;
    trouble.hidden = false;
  }
  for (const node of document.querySelectorAll(".needs-script")) {
    node.hidden = !site && node.closest("#pages") !== null;
  }
  startFindings(site);
  const view = site ? startPages(site) : null;
  startMarks(view && site.marksOf ? view.chooseMark : null);
  if (site) {
    for (const node of document.querySelectorAll(".without-script")) node.hidden = true;
    startSheets(site, view);
  }
  // What was made here moved the part that the address names.
  if (/^#[a-z]+$/.test(location.hash)) byId(location.hash.slice(1))?.scrollIntoView();
  document.documentElement.dataset.ready = "";
}

start();
