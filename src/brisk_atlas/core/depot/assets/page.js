"use strict";
// The map of an outlet that moves, what lies at a click, and rows and tiles that follow changes. Without this file the
// page has a picture, links and forms instead.
const texts = JSON.parse(document.getElementById("texts").textContent), say = (text) => texts.words[text] ?? text;
const WORLD_M = 40075016.685578488, TILE = 256, LEVELS = 18, POLL_MS = 1000, REACH_PX = 6;

class MovingMap {
  constructor(frame) {
    this.frame = frame;
    this.outlet = frame.dataset.outlet;
    this.layers = [...frame.dataset.below.split(",").filter(Boolean), this.outlet];
    this.whole = frame.dataset.box.split(",").map(Number);
    this.version = "";
    this.sheet = document.createElement("div");
    this.sheet.className = "sheet";
    this.bar = Object.assign(document.createElement("div"), {className: "bar"});
    frame.replaceChildren(this.sheet, this.tools(), this.bar);
    document.querySelector("section.map .moves").remove();
    frame.tabIndex = 0;
    frame.setAttribute("role", "application");
    frame.setAttribute("aria-label", say("Map; arrow keys move it, plus and minus change its scale"));
    this.showWhole();
    this.listen();
  }

  tools() {
    const tools = document.createElement("div");
    tools.className = "tools";
    for (const [sign, name, act] of [["+", say("Closer"), () => this.zoom(1)], ["−", say("Farther"), () => this.zoom(-1)], ["□", say("Whole"), () => this.showWhole()]]) {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = sign;
      button.title = name;
      button.setAttribute("aria-label", name);
      button.addEventListener("click", act);
      tools.append(button);
    }
    return tools;
  }

  get resolution() { return WORLD_M / TILE / 2 ** this.level; }

  showWhole() {
    const [xmin, ymin, xmax, ymax] = this.whole;
    const fits = Math.max((xmax - xmin) / this.frame.clientWidth, (ymax - ymin) / this.frame.clientHeight);
    this.level = Math.min(LEVELS, Math.max(0, Math.floor(Math.log2(WORLD_M / TILE / fits) + 0.1)));
    [this.x, this.y] = [(xmin + xmax) / 2, (ymin + ymax) / 2];
    this.draw();
  }

  zoom(by, px = this.frame.clientWidth / 2, py = this.frame.clientHeight / 2) {
    const [x, y] = this.place(px, py);
    this.level = Math.min(LEVELS, Math.max(0, this.level + by));
    this.x = x - (px - this.frame.clientWidth / 2) * this.resolution;
    this.y = y + (py - this.frame.clientHeight / 2) * this.resolution;
    this.draw();
  }

  place(px, py) {
    return [this.x + (px - this.frame.clientWidth / 2) * this.resolution, this.y - (py - this.frame.clientHeight / 2) * this.resolution];
  }

  pixel(x, y) {
    return [(x - this.x) / this.resolution + this.frame.clientWidth / 2, (this.y - y) / this.resolution + this.frame.clientHeight / 2];
  }

  draw() {
    const count = 2 ** this.level, span = WORLD_M / count;
    const [left, top] = this.place(0, 0), [right, bottom] = this.place(this.frame.clientWidth, this.frame.clientHeight);
    const wanted = new Map();
    for (const layer of this.layers)
      for (let row = Math.floor((WORLD_M / 2 - top) / span); row <= Math.floor((WORLD_M / 2 - bottom) / span); row++)
        for (let column = Math.floor((left + WORLD_M / 2) / span); column <= Math.floor((right + WORLD_M / 2) / span); column++)
          if (row >= 0 && row < count)
            wanted.set(`../services/xyz/${layer}/${this.level}/${((column % count) + count) % count}/${row}.png${this.version}#${column}`, [column, row]);
    for (const image of [...this.sheet.children]) {
      if (image.tagName === "IMG" && !wanted.has(image.getAttribute("src"))) image.remove();
      else wanted.get(image.getAttribute("src"))?.push(image);
    }
    for (const [address, [column, row, image]] of wanted) {
      const shown = image ?? Object.assign(document.createElement("img"), {alt: "", draggable: false, src: address});
      shown.className = address.includes(`/xyz/${this.outlet}/`) ? "" : "below";
      const [px, py] = this.pixel(column * span - WORLD_M / 2, WORLD_M / 2 - row * span);
      shown.style.transform = `translate(${Math.round(px)}px, ${Math.round(py)}px)`;
      this.sheet.append(shown);
    }
    this.placeRing();
    this.drawBar();
  }

  drawBar() {
    const degrees = inDegrees([this.x, this.y])[1], metres = this.resolution * Math.cos(degrees * Math.PI / 180);
    const power = 10 ** Math.floor(Math.log10(metres * 120)), length = [5, 2, 1].map((n) => n * power).find((n) => n <= metres * 120);
    this.bar.style.width = `${length / metres}px`;
    this.bar.textContent = length < 1000 ? `${length} m` : `${(length / 1000).toLocaleString("en")} km`;
  }

  listen() {
    let from = null, moved = false;
    this.frame.addEventListener("pointerdown", (event) => {
      if (event.target.closest("button")) return;
      from = [event.clientX, event.clientY];
      moved = false;
      this.frame.setPointerCapture(event.pointerId);
    });
    this.frame.addEventListener("pointermove", (event) => {
      if (!from) return;
      const [dx, dy] = [event.clientX - from[0], event.clientY - from[1]];
      if (!moved && Math.hypot(dx, dy) < 4) return;
      moved = true;
      this.frame.classList.add("moving");
      from = [event.clientX, event.clientY];
      this.x -= dx * this.resolution;
      this.y += dy * this.resolution;
      this.draw();
    });
    this.frame.addEventListener("pointerup", (event) => {
      if (from && !moved) this.pick(event);
      from = null;
      this.frame.classList.remove("moving");
    });
    this.frame.addEventListener("wheel", (event) => {
      event.preventDefault();
      const box = this.frame.getBoundingClientRect();
      this.zoom(event.deltaY < 0 ? 1 : -1, event.clientX - box.left, event.clientY - box.top);
    }, {passive: false});
    this.frame.addEventListener("keydown", (event) => {
      const steps = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]};
      if (steps[event.key]) {
        this.x += steps[event.key][0] * 80 * this.resolution;
        this.y += steps[event.key][1] * 80 * this.resolution;
        this.draw();
      } else if (event.key === "+" || event.key === "=") this.zoom(1);
      else if (event.key === "-") this.zoom(-1);
      else return;
      event.preventDefault();
    });
    new ResizeObserver(() => this.draw()).observe(this.frame);
  }

  async pick(event) {
    if (!this.frame.dataset.cursor) return;  // it has no rows to be asked for
    const box = this.frame.getBoundingClientRect(), px = event.clientX - box.left, py = event.clientY - box.top;
    const corners = [this.place(px - REACH_PX, py + REACH_PX), this.place(px + REACH_PX, py - REACH_PX)].flatMap(inDegrees);
    this.at = this.place(px, py);
    this.placeRing();
    const answer = await fetch(`../collections/${this.outlet}/items?limit=5&bbox=${corners.join(",")}`);
    showPicked(answer.ok ? (await answer.json()).features : []);
  }

  placeRing() {
    if (!this.at) return;
    this.ring ??= Object.assign(document.createElement("div"), {className: "ring"});
    const [px, py] = this.pixel(...this.at);
    [this.ring.style.left, this.ring.style.top] = [`${px}px`, `${py}px`];
    this.frame.append(this.ring);
  }
}

function inDegrees([x, y]) {
  const radius = WORLD_M / 2 / Math.PI;
  return [x / radius * 180 / Math.PI, (2 * Math.atan(Math.exp(y / radius)) - Math.PI / 2) * 180 / Math.PI];
}

function showPicked(features) {
  const picked = document.getElementById("picked");
  if (!features.length) {
    picked.textContent = say("Nothing lies there.");
    return;
  }
  picked.replaceChildren(...features.map((feature) => {
    const list = document.createElement("dl");
    for (const [name, value] of Object.entries(feature.properties)) {
      const [term, text] = [document.createElement("dt"), document.createElement("dd")];
      term.textContent = name;
      text.textContent = value === null ? say("missing") : String(value);
      list.append(term, text);
    }
    return list;
  }));
}

async function refreshRows() {
  const answer = await fetch(location.href);
  if (!answer.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const before = new Set([...document.querySelectorAll("#rows tbody tr")].map((row) => row.textContent));
  for (const part of ["#rows tbody", "#count"]) document.querySelector(part).replaceWith(page.querySelector(part));
  for (const row of document.querySelectorAll("#rows tbody tr")) if (!before.has(row.textContent)) row.className = "new";
}

async function follow(map, outlet, cursor) {
  for (;;) {
    await new Promise((wake) => setTimeout(wake, POLL_MS));
    if (document.visibilityState !== "visible") continue;
    try {
      const answer = await fetch(`../collections/${outlet}/changes?since=${cursor}`);
      if (answer.status === 410 || answer.status === 404) { location.reload(); return; }
      if (!answer.ok) continue;
      const found = await answer.json();
      if (found.cursor === cursor) continue;
      cursor = found.cursor;
      map.version = `?at=${cursor.slice(0, 16)}`;
      map.draw();
      await refreshRows();
    } catch { /* the server is away; asked again soon */ }
  }
}

for (const button of document.querySelectorAll(".copy")) {
  if (!navigator.clipboard) continue;
  button.hidden = false;
  button.addEventListener("click", async () => {
    await navigator.clipboard.writeText(document.getElementById(button.dataset.copies).value);
    button.textContent = say("Copied");
  });
}
const frame = document.getElementById("map");
if (frame && !("still" in frame.dataset)) {
  const map = new MovingMap(frame);
  if (frame.dataset.cursor) follow(map, frame.dataset.outlet, frame.dataset.cursor);
}
