"use strict";
// What a picture does under the hand: it comes closer and moves, two of one place are compared, a click finds features;
// and tables are sorted. Without this the page has the pictures, captions, legends and rows.
const CLOSEST = 8, STEP = 1.5, REACH_PX = 6, BLINK_MS = 900, MOVED_PX = 4, OVERVIEW_PX = 2048;
const {words, parts: features} = JSON.parse(document.getElementById("features").textContent);
// A text in the language of the page, with values in the places that it names.
const say = (text, values = {}) => (words[text] ?? text).replace(/\{(\w+)\}/g, (all, name) => values[name] ?? all);
const calm = matchMedia("(prefers-reduced-motion: reduce)");

function made(tag, values = {}, ...inside) {
  const element = Object.assign(document.createElement(tag), values);
  element.append(...inside);
  return element;
}

class Stage {
  constructor(frame) {
    this.frame = frame;
    this.sheet = frame.querySelector(".sheet");
    this.bar = frame.querySelector(".bar");
    this.width = Number(frame.dataset.width);
    this.layers = features[frame.dataset.plate] ?? [];
    [this.x, this.y, this.closer] = [0, 0, 1];  // of the picture's upper left corner, in pixels of the frame
    this.large = [...this.sheet.querySelectorAll("img[data-tiles]")].map((image) => new Large(image));
    frame.tabIndex = 0;
    frame.setAttribute("role", "group");
    const title = frame.querySelector("img").alt;
    frame.setAttribute("aria-label", this.layers.length ? say("{title}. Plus and minus change the scale, arrow keys move it, Enter says what lies in the middle", {title}) : say("{title}. Plus and minus change the scale, arrow keys move it", {title}));
    this.tools = made("div", {className: "tools"}, this.tool("+", say("Closer"), () => this.zoom(STEP)), this.tool("−", say("Farther"), () => this.zoom(1 / STEP)), this.tool("□", say("Whole"), () => this.zoom(0)));
    frame.append(this.tools);
    if (frame.classList.contains("curtain")) this.hang();
    if (frame.classList.contains("blink")) this.alternate();
    if (frame.classList.contains("series")) this.lineUp();
    this.listen();
    new ResizeObserver(() => this.place()).observe(frame);
  }

  tool(sign, name, act) {
    const button = made("button", {type: "button", textContent: sign, title: name, onclick: act});
    button.setAttribute("aria-label", name);
    return button;
  }

  zoom(by, px = this.frame.clientWidth / 2, py = this.frame.clientHeight / 2) {
    const before = this.closer;
    const closest = Math.max(CLOSEST, ...this.large.map((each) => 2 * each.full / this.frame.clientWidth));
    this.closer = by ? Math.min(closest, Math.max(1, before * by)) : 1;
    this.x = px - (px - this.x) * this.closer / before;
    this.y = py - (py - this.y) * this.closer / before;
    this.place();
  }

  place() {
    const [w, h] = [this.frame.clientWidth, this.frame.clientHeight];
    this.x = Math.min(0, Math.max(w - w * this.closer, this.x));
    this.y = Math.min(0, Math.max(h - h * this.closer, this.y));
    this.sheet.style.transform = `translate(${this.x}px, ${this.y}px) scale(${this.closer})`;
    this.frame.classList.toggle("near", this.closer > 1);
    if (this.edge !== undefined) this.draw();
    for (const each of this.large) each.place(this);
    if (!this.bar) return;
    const metres = Number(this.frame.dataset.metres) * this.width / w / this.closer, most = Math.min(180, w / 3);
    const power = 10 ** Math.floor(Math.log10(metres * most)), length = [5, 2, 1].map((n) => n * power).find((n) => n <= metres * most);
    this.bar.style.width = `${length / metres}px`;
    this.bar.textContent = length < 1000 ? `${length} m` : `${(length / 1000).toLocaleString("en")} km`;
  }

  // Two pictures

  hang() {
    this.edge = 0.5;
    this.line = made("span", {className: "edge"});
    this.grip = made("button", {type: "button", className: "grip", textContent: "⇔"});
    this.grip.setAttribute("role", "slider");
    this.grip.setAttribute("aria-label", say("Curtain between A and B"));
    for (const [name, value] of [["min", 0], ["max", 100]]) this.grip.setAttribute(`aria-value${name}`, value);
    this.frame.append(this.line, this.grip);
    this.grip.addEventListener("pointerdown", (event) => { this.grip.setPointerCapture(event.pointerId); event.stopPropagation(); });
    this.grip.addEventListener("pointermove", (event) => {
      if (this.grip.hasPointerCapture(event.pointerId)) this.pull((event.clientX - this.frame.getBoundingClientRect().left) / this.frame.clientWidth);
    });
    this.grip.addEventListener("keydown", (event) => {
      const to = {ArrowLeft: this.edge - 0.02, ArrowRight: this.edge + 0.02, Home: 0, End: 1}[event.key];
      if (to === undefined) return;
      this.pull(to);
      event.preventDefault();
      event.stopPropagation();
    });
    this.draw();
  }

  pull(to) {
    this.edge = Math.min(1, Math.max(0, to));
    this.draw();
  }

  draw() {
    const w = this.frame.clientWidth, share = Math.min(1, Math.max(0, (this.edge * w - this.x) / (w * this.closer)));
    this.sheet.style.setProperty("--edge", `${share * 100}%`);
    this.line.style.left = this.grip.style.left = `${this.edge * 100}%`;
    this.grip.setAttribute("aria-valuenow", Math.round(this.edge * 100));
    this.grip.setAttribute("aria-valuetext", say("A to {share} percent", {share: Math.round(this.edge * 100)}));
  }

  alternate() {
    const side = made("button", {type: "button", textContent: "A"});
    const run = made("button", {type: "button", textContent: say("Blink")});
    side.setAttribute("aria-label", say("Show A or B"));
    run.setAttribute("aria-pressed", "false");
    const turn = () => {
      const next = side.textContent === "A" ? "B" : "A";
      side.textContent = next;
      this.sheet.style.setProperty("--mix", next === "B" ? 1 : 0);
    };
    let timer = 0;
    side.onclick = turn;
    run.onclick = () => {
      timer = timer ? clearInterval(timer) ?? 0 : setInterval(turn, calm.matches ? 3 * BLINK_MS : BLINK_MS);
      run.setAttribute("aria-pressed", String(Boolean(timer)));
      run.textContent = timer ? say("Stop") : say("Blink");
    };
    this.tools.append(side, run);
  }

  lineUp() {
    const pictures = [...this.sheet.querySelectorAll(":scope > img")], names = pictures.map((each) => each.dataset.name);
    const slider = made("input", {type: "range", min: 0, max: pictures.length - 1, value: 0}), name = made("output", {dir: "auto"});
    const run = made("button", {type: "button", textContent: say("Play")}), row = made("div", {className: "dates"}, run, slider, name);
    slider.setAttribute("aria-label", say("Which picture of the series"));
    row.style.setProperty("--shape", this.frame.style.getPropertyValue("--shape"));
    const show = (at) => {
      pictures.forEach((each, number) => { each.className = number === at ? "now" : ""; });
      [slider.value, name.textContent] = [at, names[at]];
      slider.setAttribute("aria-valuetext", names[at]);
    };
    let timer = 0;
    slider.oninput = () => show(Number(slider.value));
    run.onclick = () => {
      timer = timer ? clearInterval(timer) ?? 0 : setInterval(() => show((Number(slider.value) + 1) % pictures.length), calm.matches ? 3 * BLINK_MS : BLINK_MS);
      run.textContent = timer ? say("Stop") : say("Play");
      run.setAttribute("aria-pressed", String(Boolean(timer)));
    };
    this.frame.classList.add("live");
    this.frame.after(row);
    show(0);
  }

  // The hand

  listen() {
    let from = null, moved = false;
    const frame = this.frame;
    frame.addEventListener("pointerdown", (event) => {
      if (event.target.closest("button")) return;
      [from, moved] = [[event.clientX, event.clientY], false];
      if (this.closer > 1) frame.setPointerCapture(event.pointerId);
    });
    frame.addEventListener("pointermove", (event) => {
      if (!from) return;
      const [dx, dy] = [event.clientX - from[0], event.clientY - from[1]];
      if (!moved && Math.hypot(dx, dy) < MOVED_PX) return;
      moved = true;
      if (this.closer === 1) return;
      frame.classList.add("moving");
      from = [event.clientX, event.clientY];
      this.x += dx;
      this.y += dy;
      this.place();
    });
    const end = () => { from = null; frame.classList.remove("moving"); };
    frame.addEventListener("pointerup", (event) => {
      if (from && !moved) this.pick(event.clientX - frame.getBoundingClientRect().left, event.clientY - frame.getBoundingClientRect().top);
      end();
    });
    frame.addEventListener("pointercancel", end);
    frame.addEventListener("wheel", (event) => {
      if (!event.ctrlKey && this.closer === 1) return;  // the page scrolls
      event.preventDefault();
      const box = frame.getBoundingClientRect();
      this.zoom(event.deltaY < 0 ? STEP : 1 / STEP, event.clientX - box.left, event.clientY - box.top);
    }, {passive: false});
    frame.addEventListener("dblclick", (event) => {
      const box = frame.getBoundingClientRect();
      if (!event.target.closest("button")) this.zoom(2, event.clientX - box.left, event.clientY - box.top);
    });
    frame.addEventListener("keydown", (event) => {
      if (event.target !== frame) return;
      const steps = {ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]}[event.key];
      if (steps && this.closer > 1) {
        this.x += steps[0] * 60;
        this.y += steps[1] * 60;
        this.place();
      } else if (event.key === "+" || event.key === "=") this.zoom(STEP);
      else if (event.key === "-") this.zoom(1 / STEP);
      else if (event.key === "0") this.zoom(0);
      else if (event.key === "Enter" && this.layers.length) this.pick(frame.clientWidth / 2, frame.clientHeight / 2);
      else return;
      event.preventDefault();
    });
  }

  pick(px, py) {
    if (!this.layers.length) return;
    const scale = this.width / this.frame.clientWidth, reach = REACH_PX * scale / this.closer;
    const at = [(px - this.x) / this.closer * scale, (py - this.y) / this.closer * scale], found = [];
    for (const layer of this.layers)
      for (let row = 0; row < layer.kinds.length; row++)
        if (meets(layer.kinds[row], layer.paths[row], at, reach)) found.push([layer, row]);
    this.show(found.slice(0, 6));
  }

  show(found) {
    this.mark?.remove();
    const words = this.frame.closest("figure").querySelector(".picked");
    words.replaceChildren(...(found.length ? found.map(([layer, row]) => made("div", {}, made("h4", {textContent: layer.layer, dir: "auto"}), made("dl", {}, ...layer.fields.flatMap((name, at) => [made("dt", {textContent: name, dir: "auto"}), made("dd", {textContent: layer.rows[row][at] || say("missing"), dir: "auto"})])), ...charted(layer, row))) : [say("Nothing lies there.")]));
    if (!found.length) return;
    const space = "http://www.w3.org/2000/svg", height = this.width * this.frame.clientHeight / this.frame.clientWidth;
    this.mark = document.createElementNS(space, "svg");
    this.mark.setAttribute("viewBox", `0 0 ${this.width} ${height}`);
    this.mark.setAttribute("aria-hidden", "true");
    const [layer, row] = found[0], shape = document.createElementNS(space, "path"), wide = this.width / this.frame.clientWidth / this.closer;
    shape.setAttribute("d", layer.paths[row].map((path) => drawn(layer.kinds[row], path, 7 * wide)).join(" "));
    shape.setAttribute("fill-rule", "evenodd");
    shape.setAttribute("stroke-width", 2.5 * wide);
    if (layer.kinds[row] === "line") shape.setAttribute("fill", "none");
    this.mark.append(shape);
    this.sheet.append(this.mark);
  }
}

// A picture that is too large to be shown as one: over the whole of it in few pixels, the tiles in sight at their scale.
class Large {
  constructor(image) {
    [this.image, this.full] = [image, Number(image.dataset.full)];
    this.shown = new Map();
    this.box = made("div", {className: "tiles"});
    this.box.setAttribute("aria-hidden", "true");
    image.after(this.box);
  }

  place({x, y, closer, frame: {clientWidth: w, clientHeight: h}}) {
    const wanted = w * closer * devicePixelRatio, needed = new Set();
    if (wanted > (this.image.naturalWidth || OVERVIEW_PX)) {
      this.data ??= JSON.parse(document.getElementById(this.image.dataset.tiles).textContent);
      const {side, levels} = this.data, level = levels.find((each) => each.width >= wanted) ?? levels.at(-1);
      const [across, down] = [level.width / (w * closer), level.height / (h * closer)];  // pixels of the level for one of the frame
      const columns = Math.ceil(level.width / side), rows = Math.ceil(level.height / side);
      const from = (start, scale) => Math.max(0, Math.floor(-start * scale / side)), to = (start, length, scale, count) => Math.min(count, Math.ceil((length - start) * scale / side));
      for (let row = from(y, down); row < to(y, h, down, rows); row++)
        for (let column = from(x, across); column < to(x, w, across, columns); column++) needed.add(this.tile(level, side, columns, row, column));
    }
    const stale = [...this.shown.keys()].filter((key) => !needed.has(key));
    const drop = () => stale.filter((key) => !this.needed.has(key)).forEach((key) => { this.shown.get(key)?.remove(); this.shown.delete(key); });
    this.needed = needed;
    Promise.allSettled([...needed].map((key) => this.shown.get(key).decode())).then(drop);  // until then what was seen stays
  }

  tile(level, side, columns, row, column) {
    const key = `${level.width} ${row} ${column}`;
    if (this.shown.has(key)) return key;
    const image = made("img", {alt: "", src: level.tiles[row * columns + column]}), share = (pixels, all) => `${100 * pixels / all}%`;
    const [left, top] = [column * side, row * side], [right, bottom] = [Math.min(left + side, level.width), Math.min(top + side, level.height)];
    Object.assign(image.style, {left: share(left, level.width), top: share(top, level.height), width: share(right - left, level.width), height: share(bottom - top, level.height)});
    this.shown.set(key, image);
    this.box.append(image);
    return key;
  }
}

const SPACE = "http://www.w3.org/2000/svg", CHART = {width: 520, height: 150, left: 64, low: 24, top: 22};

// The values of a feature over time as a line, with what it says for those who don't see it.
function charted(layer, row) {
  const series = layer.series, points = series?.lines[series.rows[row]];
  if (!points?.length) return [];
  const moment = (text) => text.length === 4 ? Date.UTC(Number(text), 0) : Date.parse(text.length === 10 || /Z$|[+-]\d\d:\d\d$/.test(text) ? text : `${text}Z`);
  const at = points.map(([time]) => moment(time)), values = points.map(([, value]) => value);
  const [first, last, low, high] = [Math.min(...at), Math.max(...at), Math.min(...values), Math.max(...values)];
  const x = (t) => CHART.left + (CHART.width - CHART.left - 10) * (last > first ? (t - first) / (last - first) : 0.5);
  const y = (v) => CHART.height - CHART.low - (CHART.height - CHART.low - CHART.top) * (high > low ? (v - low) / (high - low) : 0.5);
  const svg = document.createElementNS(SPACE, "svg"), number = (v) => v.toLocaleString("en", {maximumSignificantDigits: 5});
  svg.setAttribute("class", "chart");
  svg.setAttribute("viewBox", `0 0 ${CHART.width} ${CHART.height}`);
  svg.setAttribute("role", "img");
  const day = (text) => text.slice(0, 10);
  svg.setAttribute("aria-label", say("{title}: {count} values from {first} to {last}, between {low} and {high}", {title: series.title, count: points.length, first: day(points[0][0]), last: day(points.at(-1)[0]), low: number(low), high: number(high)}));
  const put = (name, values, text = "") => {
    const element = document.createElementNS(SPACE, name);
    for (const [key, value] of Object.entries(values)) element.setAttribute(key, value);
    element.textContent = text;
    svg.append(element);
  };
  put("text", {x: CHART.left, y: 13, class: "title"}, series.title);
  for (const value of high > low ? [low, high] : [low]) {
    put("line", {x1: CHART.left, x2: CHART.width - 10, y1: y(value), y2: y(value), class: "rule"});
    put("text", {x: CHART.left - 6, y: y(value) + 4, "text-anchor": "end"}, number(value));
  }
  put("text", {x: CHART.left, y: CHART.height - 6}, day(points[0][0]));
  if (last > first) put("text", {x: CHART.width - 10, y: CHART.height - 6, "text-anchor": "end"}, day(points.at(-1)[0]));
  put("path", {d: at.map((t, n) => `${n ? "L" : "M"}${x(t).toFixed(1)},${y(values[n]).toFixed(1)}`).join(""), class: "line"});
  if (points.length < 40) at.forEach((t, n) => put("circle", {cx: x(t), cy: y(values[n]), r: 2.5}));
  return [svg, made("p", {className: "quiet", textContent: series.thinned ? say("From {source}, of many values the lows and highs.", {source: series.source}) : say("From {source}.", {source: series.source}), dir: "auto"})];
}

function drawn(kind, path, radius) {
  if (kind === "point") return `M${path[0] - radius},${path[1]} a${radius},${radius} 0 1 0 ${2 * radius},0 a${radius},${radius} 0 1 0 ${-2 * radius},0`;
  const corners = [];
  for (let i = 0; i < path.length; i += 2) corners.push(`${path[i]},${path[i + 1]}`);
  return `M${corners.join(" L")}${kind === "area" ? " Z" : ""}`;
}

function meets(kind, paths, [x, y], reach) {
  let inside = false;
  for (const path of paths) {
    if (kind === "point" && Math.hypot(path[0] - x, path[1] - y) <= reach + 4) return true;
    for (let i = 0; i + 3 < path.length; i += 2) {
      const [ax, ay, bx, by] = [path[i], path[i + 1], path[i + 2], path[i + 3]];
      if (kind === "area" && (ay > y) !== (by > y) && x < (bx - ax) * (y - ay) / (by - ay) + ax) inside = !inside;
      if (kind === "line") {
        const share = Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2 || 1)));
        if (Math.hypot(ax + share * (bx - ax) - x, ay + share * (by - ay) - y) <= reach) return true;
      }
    }
  }
  return inside;
}

function sortable(table) {
  const heads = [...table.tHead.rows[0].cells];
  for (const head of heads)
    head.querySelector("button").onclick = () => {
      const down = head.getAttribute("aria-sort") === "ascending" ? -1 : 1, at = head.cellIndex, isNumber = head.className === "number";
      const value = (row) => isNumber ? Number(row.cells[at].textContent.replaceAll(",", "")) : row.cells[at].textContent;
      const rows = [...table.tBodies[0].rows].map((row) => [value(row), row]);
      rows.sort(([a, one], [b, two]) => {
        const [no, none] = [one, two].map((row) => row.cells[at].textContent === "");
        if (no || none) return no - none;  // what is missing stands last
        return down * (isNumber ? a - b : a.localeCompare(b));
      });
      table.tBodies[0].replaceChildren(...rows.map(([, row]) => row));
      for (const each of heads) each.removeAttribute("aria-sort");
      head.setAttribute("aria-sort", down === 1 ? "ascending" : "descending");
    };
}

document.querySelectorAll(".stage").forEach((frame) => new Stage(frame));
document.querySelectorAll("table.sortable").forEach(sortable);
