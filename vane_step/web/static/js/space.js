// The board in space: draws the glTF the program writes, the case's height over it; choosing a part by pointing.
import {
  AmbientLight,
  Box3,
  BoxGeometry,
  DirectionalLight,
  EdgesGeometry,
  GLTFLoader,
  LineBasicMaterial,
  LineSegments,
  OrbitControls,
  PerspectiveCamera,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "../vendor/three-0.187.0.min.js";
import { t } from "./frame/texts.js";

const MM = 0.001;

export function space(holder, { design, tall, choose, close }) {
  const canvas = holder.querySelector("canvas"),
    words = holder.querySelector("p");
  let renderer = null,
    scene = null,
    camera = null,
    controls = null,
    model = null,
    cage = null,
    over = false;

  function begin() {
    renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    scene = new Scene();
    camera = new PerspectiveCamera(35, 1, 0.001, 5);
    scene.add(new AmbientLight(0xffffff, 1.2));
    for (const [x, y, z, strength] of [
      [0.4, 1, 0.5, 2.2],
      [-0.6, 0.5, -0.4, 0.9],
      [0, -1, 0.2, 1.1],
    ]) {
      const light = new DirectionalLight(0xffffff, strength);
      light.position.set(x, y, z);
      scene.add(light);
    }
    controls = new OrbitControls(camera, canvas);
    controls.addEventListener("change", draw);
    new ResizeObserver(fit).observe(holder);
    let from = null;
    canvas.addEventListener("pointerdown", (e) => {
      from = [e.clientX, e.clientY];
    });
    canvas.addEventListener("pointerup", (e) => {
      if (from && Math.hypot(e.clientX - from[0], e.clientY - from[1]) < 4) pick(e);
    });
  }
  function draw() {
    if (renderer && scene) renderer.render(scene, camera);
  }
  function fit() {
    if (holder.hidden || !renderer) return;
    const r = holder.getBoundingClientRect();
    renderer.setPixelRatio(window.devicePixelRatio || 1);
    renderer.setSize(r.width, r.height, false);
    camera.aspect = r.width / Math.max(1, r.height);
    camera.updateProjectionMatrix();
    draw();
  }
  function look() {
    const size = new Box3().setFromObject(model),
      middle = size.getCenter(new Vector3()),
      reach = size.getSize(new Vector3()).length();
    controls.target.copy(middle);
    camera.position.set(middle.x, middle.y + (over ? -1 : 1) * reach * 1.05, middle.z + reach * 0.95);
    controls.update();
    draw();
  }
  function caseOver(on) {
    if (cage) {
      scene.remove(cage);
      cage = null;
    }
    if (!on || !tall) return;
    const board = model.getObjectByName("board board") || model.children[0];
    const size = new Box3().setFromObject(board),
      span = size.getSize(new Vector3());
    const box = new BoxGeometry(span.x, tall * MM, span.z);
    cage = new LineSegments(new EdgesGeometry(box), new LineBasicMaterial({ color: 0x7b4b94 }));
    cage.position.set(
      (size.min.x + size.max.x) / 2,
      size.max.y + (tall * MM) / 2,
      (size.min.z + size.max.z) / 2,
    );
    scene.add(cage);
  }
  function pick(e) {
    const r = canvas.getBoundingClientRect(),
      ray = new Raycaster();
    ray.setFromCamera(
      new Vector2((2 * (e.clientX - r.left)) / r.width - 1, 1 - (2 * (e.clientY - r.top)) / r.height),
      camera,
    );
    const hit = ray.intersectObject(model, true)[0];
    const name = hit ? (hit.object.userData.name || hit.object.name).split(/[ _]/)[0] : "";
    choose(name && name !== "board" ? name : null);
  }
  holder.addEventListener("click", (e) => {
    const what = e.target.dataset ? e.target.dataset.space : "";
    if (what === "close") close();
    if (!model) return;
    if (what === "over") {
      over = !over;
      look();
    }
    if (what === "case") {
      const on = e.target.getAttribute("aria-pressed") !== "true";
      e.target.setAttribute("aria-pressed", on);
      caseOver(on);
      draw();
    }
    if (what === "picture") {
      draw();
      const link = document.createElement("a");
      link.download = `${design}.png`;
      link.href = canvas.toDataURL("image/png");
      link.click();
    }
  });
  async function show() {
    words.hidden = true;
    try {
      if (!renderer) begin();
    } catch {
      words.hidden = false;
      words.textContent = t`This browser does not draw in 3D. Save the glTF or STL file and look at it in another program.`;
      return;
    }
    fit();
    if (!model) {
      words.hidden = false;
      words.textContent = t`Standing the parts on the board …`;
    }
    const answer = await fetch(`/d/${design}/board.glb`);
    if (!answer.ok) {
      words.hidden = false;
      words.textContent = (await answer.json()).message;
      return;
    }
    const loaded = await new GLTFLoader().parseAsync(await answer.arrayBuffer(), "");
    const first = !model;
    words.hidden = true;
    if (model) scene.remove(model);
    model = loaded.scene;
    scene.add(model);
    const toggle = holder.querySelector('[data-space="case"]');
    caseOver(Boolean(toggle) && toggle.getAttribute("aria-pressed") === "true");
    if (first) look();
    else draw();
    holder.dataset.parts = model.children.length;
  }
  return { show };
}
