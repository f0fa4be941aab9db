"use strict";
// The page of a dataset: its parts on a map, as features that are drawn here or as pictures, and the table of their rows.
// Rows come as a script for each part, as a page from the disk can read no other file; it calls partRows().
const PAGE = 50, REACH_PX = 6, TINY_PX = 5, CLASSES = 5, MOST_NAMED = 8;
const RAMP = ["#1b1426", "#6b2350", "#b53a42", "#e58a45", "#f7d9a0"], NAMED = ["#1C7C7D", "#C2452D", "#D6A32B", "#4C5FA8", "#7FA650", "#A2577F", "#6C5B4B", "#5AB0C4"], REST = "#9AA3A8";
const at = (id) => document.getElementById(id), parts = JSON.parse(at("parts")?.textContent ?? "[]");
const shown = {part: 0, rows: null, map: null, colours: null, legend: null, order: [], sort: null, page: 0, picked: -1};

function partRows(rows) {
  const part = parts.find((each) => each.name === rows.part);
  part.rows = rows;
  if (rows.shapes) rows.drawn = traced(rows.shapes);
  if (part === parts[shown.part]) show(shown.part);
}

// the vertices of each feature on the plane of its map, and the box around them
function traced({left, top, unit, paths, kinds, starts}) {
  return starts.slice(0, -1).map((first, feature) => {
    const box = [Infinity, Infinity, -Infinity, -Infinity], lines = [];
    for (let path = first; path < starts[feature + 1]; path++) {
      const steps = paths[path], xy = new Float64Array(steps.length);
      for (let i = 0, x = 0, y = 0; i < steps.length; i += 2) {
        x += steps[i];
        y += steps[i + 1];
        const [px, py] = [left + x * unit, top - y * unit];
        [xy[i], xy[i + 1]] = [px, py];
        if (px < box[0]) box[0] = px;
        if (py < box[1]) box[1] = py;
        if (px > box[2]) box[2] = px;
        if (py > box[3]) box[3] = py;
      }
      lines.push({kind: kinds[path], xy});
    }
    return {box, lines};
  });
}

function show(number) {
  const part = parts[number];
  Object.assign(shown, {part: number, rows: part.rows ?? null, colours: null, legend: null, sort: null, page: 0, picked: -1});
  for (const [n, frame] of document.querySelectorAll(".part").entries()) frame.hidden = n !== number;
  if (part.script && !part.rows && !part.asked) {
    part.asked = true;
    document.head.append(Object.assign(document.createElement("script"), {src: part.script}));
  }
  at("picked").replaceChildren();
  const frame = document.querySelector(`.map[data-part="${number}"]`);
  if (frame && !part.map) {
    loadPictures(part, frame.querySelector("img").src);
    part.map = new MovingMap(frame, part.extent, {paint: (context, map) => paint(context, map, part), picked: pick, moved: () => { if (at("seen")?.checked) refresh(); }, label: say("Map of {name}", {name: part.name}), metres: part.metres ? () => part.metres : null});
  }
  shown.map = part.map ?? null;
  const drawn = Boolean(shown.rows?.drawn);
  at("colour-choice").hidden = !drawn;
  if (drawn) choices(at("colour"), [["", say("as styled")], ...shown.rows.fields.map((field, n) => [n, labelOf(field)])]);
  if (at("rows")) {
    at("rows").hidden = !shown.rows;
    if (shown.rows) {
      choices(at("field"), [["", say("any")], ...shown.rows.fields.map((field, n) => [n, labelOf(field)])]);
      at("seen").closest("label").hidden = !drawn;
      at("seen").checked = false;
      at("value").value = "";
      refresh();
    }
  }
  legend();
  part.map?.draw();
}

function choices(select, pairs) {
  select.replaceChildren(...pairs.map(([value, text]) => Object.assign(document.createElement("option"), {value, textContent: text})));
}

function labelOf(field) { return field.unit ? `${field.name}, ${field.unit}` : field.name; }

// pictures of a part: the whole, and pieces of finer ones as they are needed
function loadPictures(part, whole) {
  part.pieces = new Map([["0/0-0", loaded(whole, part)]]);
}

function loaded(address, part) {
  const image = new Image();
  image.addEventListener("load", () => part.map?.draw());
  image.src = address;
  return image;
}

function paint(context, map, part) {
  if (part.rows?.drawn) paintFeatures(context, map, part.rows);
  else paintPictures(context, map, part);
}

function paintPictures(context, map, part) {
  const [xmin, ymin, xmax, ymax] = part.extent, density = window.devicePixelRatio || 1;
  const wanted = Math.ceil(Math.log2((xmax - xmin) / part.size[0] / (map.unit / density)) - 0.25), level = Math.max(0, Math.min(part.levels, wanted));
  for (let n = 0; n <= level; n++) {
    const count = 2 ** n, [w, h] = [(xmax - xmin) / count, (ymax - ymin) / count], seen = map.extent;
    const columns = [Math.max(0, Math.floor((seen[0] - xmin) / w)), Math.min(count - 1, Math.floor((seen[2] - xmin) / w))];
    const rows = [Math.max(0, Math.floor((ymax - seen[3]) / h)), Math.min(count - 1, Math.floor((ymax - seen[1]) / h))];
    for (let row = rows[0]; row <= rows[1]; row++)
      for (let column = columns[0]; column <= columns[1]; column++) {
        const name = `${n}/${column}-${row}`;
        if (n && !part.pieces.has(name)) part.pieces.set(name, loaded(`${part.pictures}/${name}.jpg`, part));
        const image = part.pieces.get(name), [x, y] = map.pixel(xmin + column * w, ymax - row * h), [right, low] = map.pixel(xmin + (column + 1) * w, ymax - (row + 1) * h);
        if (image.complete && image.naturalWidth) context.drawImage(image, Math.round(x), Math.round(y), Math.round(right) - Math.round(x), Math.round(low) - Math.round(y));
      }
  }
}

function paintFeatures(context, map, rows) {
  const seen = map.extent, listed = new Set(shown.order), filtered = listed.size < rows.drawn.length;
  for (const quiet of filtered ? [true, false] : [false])
    rows.drawn.forEach((feature, n) => {
      if (rows.look[n] < 0 || (filtered && listed.has(n) === quiet) || !meets(feature.box, seen)) return;
      const [fill, edge, width] = rows.looks[rows.look[n]];
      context.globalAlpha = quiet ? 0.12 : 1;
      if (isTiny(map, feature)) { dot(context, map, feature, shown.colours?.[n] ?? fill); return; }
      trace(context, map, feature, shown.colours?.[n] ?? fill, shown.colours ? ink("ink") : edge, shown.colours?.[n], width);
    });
  context.globalAlpha = 1;
  if (shown.picked >= 0) {
    const feature = rows.drawn[shown.picked];
    if (isTiny(map, feature)) dot(context, map, feature, "#7A2DBF");
    trace(context, map, feature, "rgb(122 45 191 / 0.35)", "#7A2DBF", "#7A2DBF", 3);
  }
}

// areas and lines that are smaller than they could be seen are dots
function isTiny(map, {box, lines}) {
  return lines.some(({kind}) => kind > 0) && box[2] - box[0] < TINY_PX * map.unit && box[3] - box[1] < TINY_PX * map.unit;
}

function dot(context, map, {box}, colour) {
  const [x, y] = map.pixel((box[0] + box[2]) / 2, (box[1] + box[3]) / 2);
  context.fillStyle = colour;
  context.beginPath();
  context.arc(x, y, TINY_PX / 2, 0, 7);
  context.fill();
}

function trace(context, map, feature, fill, edge, stroke, width) {
  const areas = new Path2D(), lines = new Path2D(), points = new Path2D(), scale = 1 / map.unit, [dx, dy] = [map.wide / 2 - map.x * scale, map.high / 2 + map.y * scale];
  const has = {areas: false, lines: false, points: false};
  for (const {kind, xy} of feature.lines) {
    if (!xy.length) continue;
    if (kind === 0) {
      points.moveTo(xy[0] * scale + dx + 4.5, dy - xy[1] * scale);
      points.arc(xy[0] * scale + dx, dy - xy[1] * scale, 4.5, 0, 7);
      has.points = true;
      continue;
    }
    const target = kind === 1 ? lines : areas;
    has[kind === 1 ? "lines" : "areas"] = true;
    target.moveTo(xy[0] * scale + dx, dy - xy[1] * scale);
    for (let i = 2; i < xy.length; i += 2) target.lineTo(xy[i] * scale + dx, dy - xy[i + 1] * scale);
    if (kind > 1) target.closePath();
  }
  [context.fillStyle, context.strokeStyle, context.lineWidth, context.lineJoin] = [fill, edge, Math.max(width, 0.5), "round"];
  if (has.areas) { context.fill(areas, "evenodd"); context.stroke(areas); }
  if (has.lines) { context.strokeStyle = stroke ?? edge; context.lineWidth = Math.max(width, 1.5); context.stroke(lines); }
  if (has.points) { context.fill(points); context.strokeStyle = "#FFFDF8"; context.lineWidth = 1; context.stroke(points); }
}

function meets(box, [xmin, ymin, xmax, ymax]) { return box[0] <= xmax && box[2] >= xmin && box[1] <= ymax && box[3] >= ymin; }

// a press: of the features there the one that is nearest, the smallest first among areas
function pick(x, y) {
  const {rows, map} = shown;
  if (!rows?.drawn) return;
  const near = REACH_PX * map.unit, listed = new Set(shown.order);
  let best = -1, least = Infinity;
  rows.drawn.forEach((feature, n) => {
    const [a, b, c, d] = feature.box;
    if (!listed.has(n) || rows.look[n] < 0 || x < a - near || x > c + near || y < b - near || y > d + near) return;
    const away = distance(feature, x, y);
    const cost = away > 0 ? away : -1 / (1 + (c - a) * (d - b) / map.unit ** 2);
    if (away <= near && cost < least) [best, least] = [n, cost];
  });
  choose(best);
  if (best < 0) at("picked").textContent = say("Nothing lies there.");
}

// how far a place is from a feature; 0 within an area
function distance({lines}, x, y) {
  let best = Infinity, inside = false;
  for (const {kind, xy} of lines) {
    const last = xy.length - 2;
    if (kind === 0) best = Math.min(best, Math.hypot(xy[0] - x, xy[1] - y));
    for (let i = 0, j = kind > 1 ? last : 0; i <= last && kind > 0; j = i, i += 2) {
      if (kind > 1 && xy[i + 1] > y !== xy[j + 1] > y && x < (xy[j] - xy[i]) * (y - xy[i + 1]) / (xy[j + 1] - xy[i + 1]) + xy[i]) inside = !inside;
      const [vx, vy] = [xy[i] - xy[j], xy[i + 1] - xy[j + 1]], along = Math.max(0, Math.min(1, ((x - xy[j]) * vx + (y - xy[j + 1]) * vy) / (vx * vx + vy * vy || 1)));
      best = Math.min(best, Math.hypot(xy[j] + along * vx - x, xy[j + 1] + along * vy - y));
    }
  }
  return inside ? 0 : best;
}

function choose(number) {
  shown.picked = number;
  shown.map?.draw();
  const frame = at("picked");
  if (number < 0) { frame.replaceChildren(); table(); return; }
  const list = document.createElement("dl");
  shown.rows.fields.forEach((field, column) => {
    const [term, text] = [document.createElement("dt"), document.createElement("dd")];
    term.textContent = labelOf(field);
    if (field.meaning) term.title = field.meaning;
    text.textContent = wording(shown.rows.columns[column][number]);
    list.append(term, text);
  });
  frame.replaceChildren(list);
  const place = shown.order.indexOf(number);
  if (place >= 0) shown.page = Math.floor(place / PAGE);
  table();
}

function wording(value) {
  if (value === null || value === undefined) return say("missing");
  if (typeof value === "boolean") return value ? say("yes") : say("no");
  return String(value);
}

// which rows are listed: those that meet the filter, in the order that is asked for
function refresh() {
  const {rows} = shown, size = rows.columns[0]?.length ?? 0, seen = at("seen").checked && shown.map ? shown.map.extent : null;
  const column = at("field").value === "" ? -1 : Number(at("field").value), compare = at("compare").value, wanted = folded(at("value").value.trim());
  const meetsValue = (value) => {
    if (compare === "missing") return value === null;
    if (wanted === "") return true;
    if (value === null) return false;
    if (compare === "has") return folded(wording(value)).includes(wanted);
    const number = Number(wanted.replace(",", ""));
    if (typeof value === "number") return compare === "is" ? value === number : compare === "less" ? value < number : value > number;
    const text = folded(wording(value));
    return compare === "is" ? text === wanted : compare === "less" ? text < wanted : text > wanted;
  };
  shown.order = [];
  for (let n = 0; n < size; n++) {
    if (seen && !meets(rows.drawn[n].box, seen)) continue;
    if (column >= 0 ? !meetsValue(rows.columns[column][n]) : !(wanted === "" && compare !== "missing") && !rows.columns.some((each) => meetsValue(each[n]))) continue;
    shown.order.push(n);
  }
  if (shown.sort) {
    const {column, down} = shown.sort, values = rows.columns[column];
    shown.order.sort((a, b) => {
      const [x, y] = [values[a], values[b]];
      if (x === null || y === null) return (x === null) - (y === null);
      const way = typeof x === "number" && typeof y === "number" ? x - y : String(x).localeCompare(String(y));
      return down ? -way : way;
    });
  }
  shown.page = 0;
  table();
  if (!seen) shown.map?.draw();
}

function table() {
  if (!at("rows") || !shown.rows) return;
  const {rows, order} = shown, first = shown.page * PAGE, size = rows.columns[0]?.length ?? 0;
  const head = document.createElement("tr");
  rows.fields.forEach((field, column) => {
    const cell = Object.assign(document.createElement("th"), {scope: "col", className: field.kind === "number" ? "number" : ""}), button = document.createElement("button");
    const sorted = shown.sort?.column === column;
    button.type = "button";
    button.textContent = labelOf(field) + (sorted ? (shown.sort.down ? " ↓" : " ↑") : "");
    if (field.meaning) button.title = field.meaning;
    if (sorted) cell.setAttribute("aria-sort", shown.sort.down ? "descending" : "ascending");
    button.addEventListener("click", () => {
      shown.sort = {column, down: sorted && !shown.sort.down};
      refresh();
      at("table").tHead.rows[0].cells[column].firstChild.focus();
    });
    cell.append(button);
    head.append(cell);
  });
  at("table").tHead.replaceChildren(head);
  at("table").tBodies[0].replaceChildren(...order.slice(first, first + PAGE).map((n) => {
    const line = document.createElement("tr");
    if (n === shown.picked) line.className = "chosen";
    rows.fields.forEach((field, column) => {
      const value = rows.columns[column][n], cell = document.createElement("td");
      if (field.kind === "number") cell.className = "number";
      if (value === null) cell.classList.add("none");
      cell.textContent = value === null ? say("missing") : wording(value);
      line.append(cell);
    });
    if (rows.drawn) {
      line.addEventListener("click", () => { choose(n); reveal(n); });
    }
    return line;
  }));
  const part = size < rows.count ? " " + say("The first {size} of {count} rows are here; the files have all.", {size: grouped(size), count: grouped(rows.count)}) : "";
  const last = Math.min(first + PAGE, order.length), range = order.length > PAGE ? " " + say("Rows {first} to {last} are shown.", {first: grouped(first + 1), last: grouped(last)}) : "";
  at("rows-count").textContent = (size === 1 ? say("{found} of 1 row.", {found: grouped(order.length)}) : say("{found} of {count} rows.", {found: grouped(order.length), count: grouped(size)})) + range + part;
  at("earlier").disabled = first === 0;
  at("further").disabled = last >= order.length;
  at("earlier").parentElement.hidden = order.length <= PAGE;
}

// moves the map to a feature that it does not show
function reveal(number) {
  const box = shown.rows.drawn[number].box, map = shown.map;
  if (!map || box[0] === Infinity) return;
  const [a, b, c, d] = map.extent;
  if (box[0] >= a && box[2] <= c && box[1] >= b && box[3] <= d) return;
  [map.x, map.y, map.untouched] = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2, false];
  map.draw();
}

// colours by a field: numbers in classes with as many rows each, texts by their most frequent values
function colourBy(column) {
  shown.colours = shown.legend = null;
  if (column !== "") {
    const field = shown.rows.fields[column], values = shown.rows.columns[column];
    [shown.colours, shown.legend] = field.kind === "number" ? byNumber(values) : byName(values);
  }
  legend();
  shown.map.draw();
}

function byNumber(values) {
  const sorted = values.filter((value) => typeof value === "number").sort((a, b) => a - b);
  const breaks = [...new Set(Array.from({length: CLASSES - 1}, (_, n) => sorted[Math.floor((n + 1) * sorted.length / CLASSES)]))].filter((value) => value > sorted[0]);
  const classOf = (value) => breaks.filter((edge) => value >= edge).length, count = breaks.length + 1;
  const hue = (n) => RAMP[Math.round(n * (RAMP.length - 1) / Math.max(1, count - 1))], text = (value) => grouped(Number(value.toPrecision(6)), 6);
  const edges = [sorted[0], ...breaks, sorted.at(-1)], entries = sorted.length ? Array.from({length: count}, (_, n) => [hue(n), n < count - 1 ? say("{low} to below {high}", {low: text(edges[n]), high: text(edges[n + 1])}) : say("{low} to {high}", {low: text(edges[n]), high: text(edges[n + 1])})]) : [];
  if (sorted.length < values.length) entries.push([REST, say("missing")]);
  return [values.map((value) => typeof value === "number" ? hue(classOf(value)) : REST), entries];
}

function byName(values) {
  const counts = new Map();
  for (const value of values) if (value !== null) counts.set(value, (counts.get(value) ?? 0) + 1);
  const names = [...counts].sort((a, b) => b[1] - a[1]).slice(0, MOST_NAMED).map((pair) => pair[0]), hues = new Map(names.map((name, n) => [name, NAMED[n]]));
  const entries = names.map((name) => [hues.get(name), `${wording(name)} (${grouped(counts.get(name))})`]);
  const others = values.filter((value) => !hues.has(value)).length;
  if (others) entries.push([REST, say("others or missing ({count})", {count: grouped(others)})]);
  return [values.map((value) => hues.get(value) ?? REST), entries];
}

function legend() {
  const frame = document.querySelectorAll(".part")[shown.part];
  frame?.querySelector(".legend.own")?.remove();
  const styled = frame?.querySelector(".legend");
  if (styled) styled.hidden = Boolean(shown.legend);
  if (!shown.legend) return;
  const list = document.createElement("ul");
  for (const [hue, text] of shown.legend) {
    const item = document.createElement("li"), swatch = Object.assign(document.createElement("span"), {className: "swatch"});
    swatch.style.background = hue;
    item.append(swatch, ` ${text}`);
    list.append(item);
  }
  const own = Object.assign(document.createElement("div"), {className: "legend own"}), title = document.createElement("h3");
  title.textContent = labelOf(shown.rows.fields[at("colour").value]);
  own.append(title, list);
  frame.append(own);
}

if (parts.length) {
  at("part-choice").hidden = parts.length < 2;
  at("part").addEventListener("change", () => show(Number(at("part").value)));
  at("colour").addEventListener("change", () => colourBy(at("colour").value));
  if (at("rows")) {
    for (const id of ["field", "compare", "value", "seen"]) at(id).addEventListener(at(id).tagName === "SELECT" ? "change" : "input", refresh);
    document.querySelector("form.filter").addEventListener("submit", (event) => event.preventDefault());
    at("all").addEventListener("click", () => { at("value").value = at("field").value = ""; at("compare").value = "has"; at("seen").checked = false; refresh(); });
    at("earlier").addEventListener("click", () => { shown.page--; table(); });
    at("further").addEventListener("click", () => { shown.page++; table(); });
  }
  for (const title of document.querySelectorAll(".of-part")) title.remove();
  show(0);
}
