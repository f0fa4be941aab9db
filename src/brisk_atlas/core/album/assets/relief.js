
// A relief that turns under the hand: binary glTF, drawn by WebGL. Where there is none, the picture stays.
const VERTEX = `attribute vec3 at; attribute vec3 normal; attribute vec2 uv; uniform mat4 seen; varying vec2 spot; varying float light;
void main() { spot = uv; light = 0.45 + 0.55 * max(0.0, dot(normalize(normal), normalize(vec3(-0.6, 0.75, -0.5)))); gl_Position = seen * vec4(at, 1.0); }`;
const FRAGMENT = "precision mediump float; uniform sampler2D drape; varying vec2 spot; varying float light; void main() { gl_FragColor = vec4(texture2D(drape, spot).rgb * light, 1.0); }";
const FLATTEST_DEG = 3, STEEPEST_DEG = 89, NEAREST = 0.05, FARTHEST = 4;

function readModel(bytes) {
  const view = new DataView(bytes.buffer), length = view.getUint32(12, true), start = 20 + length + 8;
  const about = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
  const part = (number) => {
    const each = about.bufferViews[number];
    return bytes.slice(start + (each.byteOffset ?? 0), start + (each.byteOffset ?? 0) + each.byteLength);
  };
  const numbers = (number) => {
    const each = about.accessors[number], kind = {5126: Float32Array, 5125: Uint32Array, 5123: Uint16Array}[each.componentType];
    const size = {SCALAR: 1, VEC2: 2, VEC3: 3}[each.type];
    return new kind(part(each.bufferView).buffer, each.byteOffset ?? 0, each.count * size);
  };
  const mesh = about.meshes[0].primitives[0], image = about.images[0];
  return {at: numbers(mesh.attributes.POSITION), uv: numbers(mesh.attributes.TEXCOORD_0), faces: Uint32Array.from(numbers(mesh.indices)),
    picture: new Blob([part(image.bufferView)], {type: image.mimeType})};
}

function normalsOf(at, faces) {
  const found = new Float32Array(at.length);
  for (let i = 0; i < faces.length; i += 3) {
    const [a, b, c] = [3 * faces[i], 3 * faces[i + 1], 3 * faces[i + 2]];
    const [ux, uy, uz] = [at[b] - at[a], at[b + 1] - at[a + 1], at[b + 2] - at[a + 2]], [vx, vy, vz] = [at[c] - at[a], at[c + 1] - at[a + 1], at[c + 2] - at[a + 2]];
    let normal = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    if (normal[1] < 0) normal = normal.map((n) => -n);
    for (const corner of [a, b, c]) for (let k = 0; k < 3; k++) found[corner + k] += normal[k];
  }
  return found;
}

class Turning {
  constructor(stage, model, image) {
    this.stage = stage;
    [this.distance, this.azimuth, this.tilt, this.field] = stage.dataset.relief.split(" ").map(Number);
    this.first = [this.distance, this.azimuth, this.tilt];
    this.canvas = made("canvas", {className: "turning", tabIndex: 0});
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", say("Relief; arrow keys turn it, plus and minus change the distance, 0 brings it back"));
    const gl = this.gl = this.canvas.getContext("webgl", {antialias: true, preserveDrawingBuffer: true});
    if (!gl || !gl.getExtension("OES_element_index_uint")) throw new Error("no WebGL");
    const program = gl.createProgram();
    for (const [kind, text] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, FRAGMENT]]) {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, text);
      gl.compileShader(shader);
      gl.attachShader(program, shader);
    }
    gl.linkProgram(program);
    gl.useProgram(program);
    for (const [name, values, size] of [["at", model.at, 3], ["normal", normalsOf(model.at, model.faces), 3], ["uv", model.uv, 2]]) {
      gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
      gl.bufferData(gl.ARRAY_BUFFER, values, gl.STATIC_DRAW);
      const place = gl.getAttribLocation(program, name);
      gl.enableVertexAttribArray(place);
      gl.vertexAttribPointer(place, size, gl.FLOAT, false, 0, 0);
    }
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, model.faces, gl.STATIC_DRAW);
    this.count = model.faces.length;
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGB, gl.RGB, gl.UNSIGNED_BYTE, image);
    for (const [name, value] of [[gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE], [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE], [gl.TEXTURE_MIN_FILTER, gl.LINEAR]]) gl.texParameteri(gl.TEXTURE_2D, name, value);
    gl.enable(gl.DEPTH_TEST);
    this.seen = gl.getUniformLocation(program, "seen");
    [this.low, this.high, this.side] = [Infinity, -Infinity, 0];
    for (let i = 0; i < model.at.length; i += 3) {
      [this.low, this.high] = [Math.min(this.low, model.at[i + 1]), Math.max(this.high, model.at[i + 1])];
      this.side = Math.max(this.side, Math.abs(model.at[i]), Math.abs(model.at[i + 2]));
    }
    stage.append(this.canvas);
    this.listen();
    new ResizeObserver(() => this.draw()).observe(this.canvas);
  }

  turn(by, down) {
    this.azimuth = (this.azimuth + by + 360) % 360;
    this.tilt = Math.min(STEEPEST_DEG, Math.max(FLATTEST_DEG, this.tilt + down));
    this.draw();
  }

  goTo(factor) {
    this.distance = Math.min(FARTHEST * 2 * this.side, Math.max(NEAREST * this.side, this.distance * factor));
    this.draw();
  }

  draw() {
    const gl = this.gl, density = Math.min(2, devicePixelRatio);
    [this.canvas.width, this.canvas.height] = [this.canvas.clientWidth * density, this.canvas.clientHeight * density];
    gl.viewport(0, 0, this.canvas.width, this.canvas.height);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    const [turn, fall] = [this.azimuth * Math.PI / 180, this.tilt * Math.PI / 180];
    const ahead = [Math.sin(turn) * Math.cos(fall), -Math.sin(fall), -Math.cos(turn) * Math.cos(fall)], right = [Math.cos(turn), 0, Math.sin(turn)];
    const up = [right[1] * ahead[2] - right[2] * ahead[1], right[2] * ahead[0] - right[0] * ahead[2], right[0] * ahead[1] - right[1] * ahead[0]];
    const middle = [0, (this.low + this.high) / 2, 0], eye = middle.map((value, k) => value - ahead[k] * this.distance);
    const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    const near = Math.max(1, this.distance / 200), far = this.distance + 4 * this.side + this.high - this.low;
    const tall = 1 / Math.tan(this.field * Math.PI / 360), wide = tall * this.canvas.height / this.canvas.width;
    const [p, q] = [(far + near) / (near - far), 2 * far * near / (near - far)], depth = dot(ahead, eye);
    const matrix = [];
    for (let k = 0; k < 3; k++) matrix.push(wide * right[k], tall * up[k], -p * ahead[k], ahead[k]);
    matrix.push(-wide * dot(right, eye), -tall * dot(up, eye), p * depth + q, -depth);
    gl.uniformMatrix4fv(this.seen, false, new Float32Array(matrix));
    gl.drawElements(gl.TRIANGLES, this.count, gl.UNSIGNED_INT, 0);
  }

  listen() {
    let from = null;
    this.canvas.addEventListener("pointerdown", (event) => { from = [event.clientX, event.clientY]; this.canvas.setPointerCapture(event.pointerId); event.stopPropagation(); });
    this.canvas.addEventListener("pointermove", (event) => {
      if (!from) return;
      this.turn(-(event.clientX - from[0]) * 0.3, (event.clientY - from[1]) * 0.3);
      from = [event.clientX, event.clientY];
    });
    for (const end of ["pointerup", "pointercancel"]) this.canvas.addEventListener(end, (event) => { from = null; event.stopPropagation(); });
    this.canvas.addEventListener("wheel", (event) => { event.preventDefault(); event.stopPropagation(); this.goTo(event.deltaY < 0 ? 0.87 : 1.15); }, {passive: false});
    this.canvas.addEventListener("keydown", (event) => {
      const deeds = {ArrowLeft: () => this.turn(6, 0), ArrowRight: () => this.turn(-6, 0), ArrowUp: () => this.turn(0, -4), ArrowDown: () => this.turn(0, 4), "+": () => this.goTo(0.87), "=": () => this.goTo(0.87), "-": () => this.goTo(1.15),
        0: () => { [this.distance, this.azimuth, this.tilt] = this.first; this.draw(); }};
      if (!deeds[event.key]) return;
      deeds[event.key]();
      event.preventDefault();
      event.stopPropagation();
    });
  }
}

for (const stage of document.querySelectorAll("[data-relief]")) {
  const button = made("button", {type: "button", textContent: say("Turn it")});
  stage.querySelector(".tools").append(button);
  let shown = null;
  button.onclick = async () => {
    if (shown) {
      shown.canvas.remove();
      stage.classList.remove("turned");
      shown = null;
    } else {
      try {
        const text = atob(document.getElementById(`model-${stage.dataset.plate}`).textContent.trim());
        const model = readModel(Uint8Array.from(text, (character) => character.charCodeAt(0)));
        stage.classList.add("turned");
        shown = new Turning(stage, model, await createImageBitmap(model.picture));
        stage.append(stage.querySelector(".tools"));  // above the relief
        shown.canvas.focus();
      } catch (error) {
        stage.classList.remove("turned");
        button.textContent = say("It can't be turned here");
        button.disabled = true;
        return;
      }
    }
    button.textContent = shown ? say("Picture") : say("Turn it");
    button.setAttribute("aria-pressed", String(Boolean(shown)));
  };
}
