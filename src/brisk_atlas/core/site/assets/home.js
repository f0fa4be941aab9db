"use strict";
// The search of the site: words by their beginnings, filters, and a map of what is found. The index comes as a script, as
// a page from the disk can read no other file; it calls catalogue().
const PAGE = 20, GRATICULE = [45, 30, 15, 10, 5, 2, 1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001];
const at = (id) => document.getElementById(id);
let index = null, found = [], shown = PAGE, map = null, pointed = -1;

function catalogue(columns) {
  index = columns;
  for (const [id, names] of [["theme", index.themes], ["kind", index.kinds]])
    at(id).append(...names.map((name, number) => Object.assign(document.createElement("option"), {value: number, textContent: name})));
  at("search").hidden = false;
  const boxes = index.box.filter(Boolean);
  if (boxes.length) {
    at("where").hidden = false;
    map = new MovingMap(at("map"), around(boxes), {paint: paintBoxes, picked: pickBox, moved: () => { if (at("inview").checked) search(); }, label: say("Map of the datasets found")});
  } else at("inview").closest("label").hidden = true;
  readAddress();
  search();
  for (const id of ["words", "theme", "kind", "from", "to", "recorded", "inview"]) at(id).addEventListener(at(id).tagName === "SELECT" ? "change" : "input", () => { shown = PAGE; search(); });
}

// which datasets meet the filters and have all words, or their beginnings; the best first
function matching() {
  const words = folded(at("words").value).match(/[\p{L}\p{N}]+/gu) ?? [], hits = [];
  const theme = at("theme").value === "" ? -1 : Number(at("theme").value), kind = at("kind").value === "" ? -1 : Number(at("kind").value);
  const from = at("from").valueAsNumber, to = at("to").valueAsNumber, recorded = at("recorded").checked, view = at("inview").checked && map ? map.extent : null;
  const sought = words.map((word) => ` ${word}`);
  next: for (let n = 0; n < index.id.length; n++) {
    if (kind >= 0 && index.kind[n] !== kind) continue;
    if (theme >= 0 && !index.theme[n].includes(theme)) continue;
    if (recorded && !index.record[n]) continue;
    const years = index.years[n];
    if (from === from && !(years && years[1] >= from)) continue;
    if (to === to && !(years && years[0] <= to)) continue;
    if (view && !(index.box[n] && meets(index.box[n], view))) continue;
    const tiers = index.words[n];
    let rank = 0;
    for (const word of sought) {
      const tier = tiers.findIndex((words) => words.includes(word));
      if (tier < 0) continue next;
      rank += tier;
    }
    hits.push([rank, n]);
  }
  return hits.sort((a, b) => a[0] - b[0] || (index.title[a[1]] < index.title[b[1]] ? -1 : 1)).map((hit) => hit[1]);
}

function search() {
  const begun = performance.now();
  found = matching();
  document.body.dataset.searched = (performance.now() - begun).toFixed(1);
  const asked = ["words", "theme", "kind", "from", "to"].some((id) => at(id).value !== "") || at("recorded").checked || at("inview").checked;
  at("themes").hidden = asked;
  at("found").hidden = !asked;
  const all = index.id.length;
  at("count").textContent = asked ? say("{found} of {count} datasets", {found: grouped(found.length), count: grouped(all)}) : all === 1 ? say("1 dataset") : say("{count} datasets", {count: grouped(all)});
  if (!found.length) at("count").textContent += ". " + say("Try fewer words, or clear the filters.");
  at("results").replaceChildren(...(asked ? found.slice(0, shown).map(resultOf) : []));
  at("more").hidden = !asked || found.length <= shown;
  pointed = -1;
  writeAddress();
  const without = found.filter((n) => !index.box[n]).length;
  at("under").textContent = say("Longitude and latitude on WGS 84.") + (without ? " " + say("{count} of these datasets state no place.", {count: grouped(without)}) : "");
  if (map && !at("inview").checked) map.draw();
}

function resultOf(n) {
  const item = document.createElement("li"), link = document.createElement("a"), facts = document.createElement("span"), text = document.createElement("p");
  link.href = `datasets/${index.id[n]}/index.html`;
  link.textContent = index.title[n];
  facts.className = "quiet";
  facts.textContent = index.facts[n];
  text.textContent = index.summary[n];
  if (index.picture[n]) item.append(Object.assign(document.createElement("img"), {src: `datasets/${index.id[n]}/picture.jpg`, alt: "", loading: "lazy"}));
  item.append(link, facts, text);
  item.dataset.number = n;
  for (const [type, number] of [["pointerenter", n], ["pointerleave", -1], ["focusin", n], ["focusout", -1]])
    item.addEventListener(type, () => { pointed = number; map?.draw(); });
  return item;
}

function paintBoxes(context, map) {
  const [xmin, ymin, xmax, ymax] = map.extent, step = GRATICULE.findLast((each) => each >= map.unit * 90) ?? 45, digits = Math.max(0, -Math.floor(Math.log10(step)));
  context.font = "11px Mono, monospace";
  context.lineWidth = 1;
  [context.strokeStyle, context.fillStyle] = [ink("rule"), ink("quiet")];
  for (let lon = Math.ceil(xmin / step) * step; lon <= xmax; lon += step) {
    const x = Math.round(map.pixel(lon, 0)[0]) + 0.5, round = ((lon + 540) % 360) - 180;
    line(context, x, 0, x, map.high);
    context.fillText(`${Math.abs(round).toFixed(digits)}° ${round < 0 ? "W" : "E"}`, x + 4, map.high - 6);
  }
  context.textAlign = "right";
  for (let lat = Math.ceil(Math.max(ymin, -90) / step) * step; lat <= Math.min(ymax, 90) + 1e-9; lat += step) {
    const y = Math.round(map.pixel(0, lat)[1]) + 0.5;
    line(context, 0, y, map.wide, y);
    if (y < map.high - 24) context.fillText(`${Math.abs(lat).toFixed(digits)}° ${lat < 0 ? "S" : "N"}`, map.wide - 6, y - 4);
  }
  context.textAlign = "left";
  for (const n of found) if (index.box[n] && n !== pointed) box(context, map, index.box[n], ink("second"), 1.5, 0.06);
  if (pointed >= 0 && index.box[pointed]) box(context, map, index.box[pointed], ink("picked"), 3, 0.2);
}

function box(context, map, [west, south, east, north], colour, width, fill) {
  if (east < west) east += 360;
  const [x, y] = map.pixel(west, north), [right, low] = map.pixel(east, south);
  [context.strokeStyle, context.fillStyle, context.lineWidth] = [colour, colour, width];
  context.globalAlpha = fill;
  context.fillRect(x, y, right - x, low - y);
  context.globalAlpha = 1;
  if (right - x < 5 && low - y < 5) {
    context.beginPath();
    context.arc((x + right) / 2, (y + low) / 2, 4, 0, 7);
    context.fill();
  } else context.strokeRect(x, y, right - x, low - y);
}

function line(context, a, b, c, d) {
  context.beginPath();
  context.moveTo(a, b);
  context.lineTo(c, d);
  context.stroke();
}

// the smallest box at a press is the one that is meant; its line in the list is shown
function pickBox(x, y) {
  const near = map.unit * 5, sizes = found.filter((n) => index.box[n]).map((n) => [n, ...index.box[n]])
    .filter(([, w, s, e, north]) => x >= w - near && x <= (e < w ? e + 360 : e) + near && y >= s - near && y <= north + near)
    .map(([n, w, s, e, north]) => [(e - w) * (north - s), n]).sort((a, b) => a[0] - b[0]);
  if (!sizes.length) return;
  pointed = sizes[0][1];
  const place = found.indexOf(pointed);
  if (at("found").hidden) { at("themes").hidden = true; at("found").hidden = false; }
  if (place >= shown || !at("results").children.length) {
    shown = Math.max(shown, place + 1);
    at("results").replaceChildren(...found.slice(0, shown).map(resultOf));
  }
  at("results").children[place].querySelector("a").focus();
  pointed = sizes[0][1];
  map.draw();
}

function meets([west, south, east, north], [xmin, ymin, xmax, ymax]) {
  if (east < west) east += 360;
  return west <= xmax && east >= xmin && south <= ymax && north >= ymin;
}

function around(boxes) {
  const sides = [Math.min, Math.min, Math.max, Math.max].map((pick, side) => boxes.reduce((best, each) => pick(best, side === 2 && each[2] < each[0] ? each[2] + 360 : each[side]), pick === Math.min ? Infinity : -Infinity));
  const margin = Math.max(sides[2] - sides[0], sides[3] - sides[1], 0.01) * 0.08;
  return [sides[0] - margin, sides[1] - margin, sides[2] + margin, sides[3] + margin];
}

// what is searched stands in the address, so that it can be shared
function writeAddress() {
  const stated = new URLSearchParams();
  for (const id of ["words", "from", "to"]) if (at(id).value) stated.set(id, at(id).value);
  for (const id of ["theme", "kind"]) if (at(id).value !== "") stated.set(id, at(id).selectedOptions[0].textContent);
  if (at("recorded").checked) stated.set("recorded", "yes");
  const text = stated.toString();
  if (location.hash.slice(1) !== text) history.replaceState(null, "", text ? `#${text}` : location.pathname + location.search);
}

function readAddress() {
  const stated = new URLSearchParams(location.hash.slice(1));
  for (const id of ["words", "from", "to"]) at(id).value = stated.get(id) ?? "";
  for (const [id, names] of [["theme", index.themes], ["kind", index.kinds]]) {
    const number = names.indexOf(stated.get(id) ?? "");
    at(id).value = number < 0 ? "" : number;
  }
  at("recorded").checked = stated.get("recorded") === "yes";
}

at("more").addEventListener("click", () => { shown += PAGE; search(); });
at("search").addEventListener("submit", (event) => event.preventDefault());
at("clear").addEventListener("click", () => {
  for (const id of ["words", "theme", "kind", "from", "to"]) at(id).value = "";
  at("recorded").checked = at("inview").checked = false;
  shown = PAGE;
  search();
  at("words").focus();
});
for (const link of document.querySelectorAll("[data-theme]")) {
  link.addEventListener("click", (event) => {
    if (!index) return;
    event.preventDefault();
    at("theme").value = index.themes.indexOf(link.dataset.theme);
    search();
    at("words").focus();
  });
}
window.addEventListener("hashchange", () => { if (index) { readAddress(); search(); } });
