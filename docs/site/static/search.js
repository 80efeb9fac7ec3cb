// Searches the index of all sections, which is read when somebody begins to search.
"use strict";
const box = document.getElementById("site-search"), words = document.getElementById("site-words");
const results = document.getElementById("site-results"), found = document.getElementById("site-found");
const root = box.dataset.root, most = 12;
let index = null;

const loaded = () => index ??= fetch(`${root}search.json`).then(answer => answer.json());

const rank = (section, wanted) => {
  const title = section.title.toLowerCase(), text = section.text.toLowerCase();
  let points = 0;
  for (const word of wanted) {
    const inTitle = title.includes(word);
    if (!inTitle && !text.includes(word)) return 0;
    points += (title === word ? 30 : inTitle ? 10 : 0) + Math.min(text.split(word).length - 1, 5);
  }
  return points;
};

const show = async () => {
  const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  const sections = wanted.length ? await loaded() : [];
  const best = sections.map(section => [rank(section, wanted), section]).filter(([points]) => points);
  best.sort(([one], [other]) => other - one);
  results.replaceChildren(...best.slice(0, most).map(([, section]) => {
    const item = document.createElement("li"), link = document.createElement("a"), page = document.createElement("small");
    link.href = root + section.address;
    link.textContent = section.title;
    page.textContent = section.page;
    link.append(page);
    item.append(link);
    return item;
  }));
  results.hidden = !best.length;
  found.textContent = wanted.length ? `${best.length} results` : "";
};

words.addEventListener("input", show);
words.addEventListener("focus", loaded, {once: true});
box.addEventListener("keydown", event => {
  if (event.key === "Escape") { words.value = ""; show(); words.focus(); }
});
if (location.protocol !== "file:") box.hidden = false;
