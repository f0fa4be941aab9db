"use strict";
// A map that moves: a canvas over a plane of its own, x to the right and y up. What it shows is drawn by whoever has it.
const texts = JSON.parse(document.getElementById("texts").textContent);
// a text in the language of the page, with values in the places that it names
function say(text, values = {}) { return (texts.words[text] ?? text).replace(/\{(\w+)\}/g, (all, name) => values[name] ?? all); }
// a number with its digits in groups, as readers of the language can't misread it
function grouped(number, digits = 3) { return number.toLocaleString("en", {maximumFractionDigits: digits}).replaceAll(",", texts.digits); }

class MovingMap {
  // extent: [xmin, ymin, xmax, ymax] that is shown first; paint(context, map) draws; picked(x, y, pixels) is a press
  constructor(frame, extent, {paint, picked = () => {}, moved = () => {}, label = say("Map"), metres = null}) {
    Object.assign(this, {frame, whole: extent, paint, picked, moved, metres});
    this.canvas = document.createElement("canvas");
    this.bar = Object.assign(document.createElement("div"), {className: "bar"});
    frame.replaceChildren(this.canvas, this.tools(), this.bar);
    frame.classList.add("live");
    frame.tabIndex = 0;
    frame.setAttribute("role", "application");
    frame.setAttribute("aria-label", say("{map}; arrow keys move it, plus and minus change its scale", {map: label}));
    this.listen();
    this.showWhole();
    new ResizeObserver(() => { if (this.untouched) this.showWhole(); else this.draw(); }).observe(frame);
  }

  get wide() { return this.frame.clientWidth; }
  get high() { return this.frame.clientHeight; }
  // what is seen now, in the units of the plane
  get extent() {
    const [w, h] = [this.wide * this.unit / 2, this.high * this.unit / 2];
    return [this.x - w, this.y - h, this.x + w, this.y + h];
  }
  place(px, py) { return [this.x + (px - this.wide / 2) * this.unit, this.y - (py - this.high / 2) * this.unit]; }
  pixel(x, y) { return [(x - this.x) / this.unit + this.wide / 2, (this.y - y) / this.unit + this.high / 2]; }

  showWhole() { this.showExtent(this.whole); this.untouched = true; }
  showExtent([xmin, ymin, xmax, ymax]) {
    this.unit = Math.max((xmax - xmin) / this.wide, (ymax - ymin) / this.high) || 1;
    [this.x, this.y] = [(xmin + xmax) / 2, (ymin + ymax) / 2];
    this.first ??= this.unit;
    this.draw();
  }
  zoom(factor, px = this.wide / 2, py = this.high / 2) {
    const [x, y] = this.place(px, py), unit = Math.min(this.first * 8, Math.max(this.first / 4096, this.unit / factor));
    [this.x, this.y] = [x - (px - this.wide / 2) * unit, y + (py - this.high / 2) * unit];
    this.unit = unit;
    this.untouched = false;
    this.draw();
  }

  // draws soon, once for all that asks for it until then
  draw() {
    this.waiting ??= requestAnimationFrame(() => {
      this.waiting = null;
      const density = window.devicePixelRatio || 1, [w, h] = [Math.round(this.wide * density), Math.round(this.high * density)];
      if (!w || !h) return;
      if (this.canvas.width !== w || this.canvas.height !== h) [this.canvas.width, this.canvas.height] = [w, h];
      const context = this.canvas.getContext("2d");
      context.setTransform(density, 0, 0, density, 0, 0);
      context.clearRect(0, 0, this.wide, this.high);
      this.paint(context, this);
      this.drawBar();
      this.moved(this);
    });
  }

  drawBar() {
    this.bar.hidden = !this.metres;
    if (!this.metres) return;
    const each = this.unit * this.metres(this.y), most = each * 120, power = 10 ** Math.floor(Math.log10(most));
    const length = [5, 2, 1].map((n) => n * power).find((n) => n <= most) ?? power;
    this.bar.style.width = `${length / each}px`;
    this.bar.textContent = length < 1 ? `${(length * 100).toPrecision(1)} cm` : length < 1000 ? `${length} m` : `${grouped(length / 1000)} km`;
  }

  tools() {
    const tools = Object.assign(document.createElement("div"), {className: "tools"});
    for (const [sign, name, act] of [["+", say("Closer"), () => this.zoom(2)], ["−", say("Farther"), () => this.zoom(0.5)], ["□", say("Whole"), () => this.showWhole()]]) {
      const button = Object.assign(document.createElement("button"), {type: "button", textContent: sign, title: name});
      button.setAttribute("aria-label", name);
      button.addEventListener("click", act);
      tools.append(button);
    }
    return tools;
  }

  listen() {
    let from = null, moved = false;
    this.frame.addEventListener("pointerdown", (event) => {
      if (event.target.closest("button")) return;
      [from, moved] = [[event.clientX, event.clientY], false];
      this.frame.setPointerCapture(event.pointerId);
    });
    this.frame.addEventListener("pointermove", (event) => {
      if (!from) return;
      const [dx, dy] = [event.clientX - from[0], event.clientY - from[1]];
      if (!moved && Math.hypot(dx, dy) < 4) return;
      moved = true;
      this.frame.classList.add("moving");
      from = [event.clientX, event.clientY];
      [this.x, this.y] = [this.x - dx * this.unit, this.y + dy * this.unit];
      this.untouched = false;
      this.draw();
    });
    this.frame.addEventListener("pointerup", (event) => {
      if (from && !moved) {
        const box = this.canvas.getBoundingClientRect(), at = [event.clientX - box.left, event.clientY - box.top];
        this.picked(...this.place(...at), at);
      }
      from = null;
      this.frame.classList.remove("moving");
    });
    this.frame.addEventListener("pointercancel", () => { from = null; this.frame.classList.remove("moving"); });
    this.frame.addEventListener("wheel", (event) => {
      event.preventDefault();
      const box = this.canvas.getBoundingClientRect();
      this.zoom(event.deltaY < 0 ? 1.5 : 1 / 1.5, event.clientX - box.left, event.clientY - box.top);
    }, {passive: false});
    this.frame.addEventListener("keydown", (event) => {
      if (event.target !== this.frame) return;
      const steps = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]}[event.key];
      if (steps) {
        [this.x, this.y] = [this.x + steps[0] * 60 * this.unit, this.y + steps[1] * 60 * this.unit];
        this.untouched = false;
        this.draw();
      } else if (event.key === "+" || event.key === "=") this.zoom(2);
      else if (event.key === "-") this.zoom(0.5);
      else return;
      event.preventDefault();
    });
  }
}

// the colours of the page, for what is drawn on it
function ink(name) { return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim(); }

// a text as it is compared: without accents, in lower case, as the index was made
function folded(text) { return text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase(); }

for (const button of document.querySelectorAll(".copy")) {
  if (!navigator.clipboard) continue;
  button.hidden = false;
  button.addEventListener("click", async () => {
    const source = document.getElementById(button.dataset.copies);
    await navigator.clipboard.writeText(source.value ?? source.textContent);
    button.textContent = say("Copied");
  });
}
