"use strict";
(() => {
  const one = (selector) => document.querySelector(selector);
  const every = (selector, within) => [...(within || document).querySelectorAll(selector)];

  // Commands are copied where the browser allows it.
  if (navigator.clipboard) {
    for (const button of every("[data-copy]")) {
      button.hidden = false;
      button.addEventListener("click", async () => {
        await navigator.clipboard.writeText(button.dataset.copy);
        button.textContent = "Copied";
      });
    }
  }

  // What is printed is all of it.
  let folded = [];
  addEventListener("beforeprint", () => {
    folded = every("details:not([open])");
    folded.forEach((part) => { part.open = true; });
  });
  addEventListener("afterprint", () => folded.forEach((part) => { part.open = false; }));

  const form = one("#filters");
  const entries = every("[data-entry]").map((element) => ({
    element,
    count: Number(element.dataset.count),
    severity: element.dataset.severity,
    rule: element.dataset.rule,
    database: (element.dataset.database || "").split("\n"),
    entity: element.dataset.entity.split("\n"),
    page: element.dataset.page.split("\n"),
    role: element.dataset.role ? element.dataset.role.split("\n") : [],
    text: null,
  }));
  const all = entries.reduce((sum, entry) => sum + entry.count, 0);
  const stories = every("[data-story]").map((element) => ({ element, title: element.querySelector("h3").textContent.toLowerCase() }));
  const pairs = every(".pair");
  const titles = new Map(stories.map((story) => [story.element, story.title]));

  const apply = () => {
    const severities = new Set(every("input[name=severity]:checked", form).map((box) => box.value));
    const value = (id) => (one("#" + id) ? one("#" + id).value : "");
    const [database, entity, page, role, rule] = ["by-database", "by-entity", "by-page", "by-role", "by-rule"].map(value);
    const words = value("search").toLowerCase().split(/\s+/).filter(Boolean);
    const live = new Set();
    let count = 0;
    for (const entry of entries) {
      const story = entry.element.closest("[data-story]");
      if (words.length && entry.text === null) entry.text = entry.element.textContent.toLowerCase();
      const fits = severities.has(entry.severity)
        && (!database || entry.database.includes(database))
        && (!entity || entry.entity.includes(entity))
        && (!page || entry.page.includes(page))
        && (!role || !entry.role.length || entry.role.includes(role))
        && (!rule || entry.rule === rule)
        && words.every((word) => entry.text.includes(word) || titles.get(story).includes(word));
      if (entry.element.hidden === fits) entry.element.hidden = !fits;
      if (fits) { live.add(story); count += entry.count; }
    }
    for (const story of stories) {
      const hide = !live.has(story.element);
      if (story.element.hidden !== hide) story.element.hidden = hide;
    }
    for (const pair of pairs) {
      pair.hidden = Boolean((entity && pair.dataset.entity !== entity) || (page && pair.dataset.page !== page));
    }
    one("#nothing").hidden = count > 0;
    one("#shown").textContent = (count === all ? "" : count + " of ") + all + " findings";
  };

  // An address leads to what it names, whatever hides it.
  const reveal = () => {
    const target = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    if (!target) return;
    if (form && target.closest("[hidden]")) { form.reset(); apply(); }
    for (let part = target; part; part = part.parentElement) if (part.tagName === "DETAILS") part.open = true;
    target.scrollIntoView();
  };
  if (form && entries.length) {
    form.hidden = false;
    form.addEventListener("input", apply);
    form.addEventListener("submit", (event) => event.preventDefault());
    apply();
  }
  addEventListener("hashchange", reveal);
  reveal();
})();
