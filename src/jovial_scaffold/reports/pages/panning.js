// Moves and scales the picture in a box: drag, wheel, arrow keys, plus and minus, 0 for all of it.
function panning(box) {
  const picture = box.querySelector("svg");
  if (!picture) return { show() {} };
  const whole = picture.viewBox.baseVal;
  const start = { x: whole.x, y: whole.y, width: whole.width, height: whole.height };
  const view = { ...start };
  const apply = () => picture.setAttribute("viewBox", [view.x, view.y, view.width, view.height].map((each) => Math.round(each * 10) / 10).join(" "));
  const scaled = (factor, x, y) => {
    const width = Math.min(start.width * 4, Math.max(120, view.width * factor));
    const real = width / view.width;
    view.x = x - (x - view.x) * real;
    view.y = y - (y - view.y) * real;
    view.width = width;
    view.height *= real;
    apply();
  };
  const point = (event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(picture.getScreenCTM().inverse());
    return [at.x, at.y];
  };
  box.addEventListener("wheel", (event) => {
    event.preventDefault();
    scaled(event.deltaY > 0 ? 1.15 : 1 / 1.15, ...point(event));
  }, { passive: false });
  let held = null;
  box.addEventListener("pointerdown", (event) => { held = point(event); });
  box.addEventListener("pointermove", (event) => {
    if (!held) return;
    const [x, y] = point(event);
    view.x -= x - held[0];
    view.y -= y - held[1];
    apply();
  });
  for (const ending of ["pointerup", "pointerleave", "pointercancel"]) box.addEventListener(ending, () => { held = null; });
  box.addEventListener("keydown", (event) => {
    const step = view.width / 10;
    const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
    const middle = [view.x + view.width / 2, view.y + view.height / 2];
    if (moves[event.key]) { view.x += moves[event.key][0]; view.y += moves[event.key][1]; apply(); }
    else if (event.key === "+" || event.key === "=") scaled(1 / 1.25, ...middle);
    else if (event.key === "-") scaled(1.25, ...middle);
    else if (event.key === "0") { Object.assign(view, start); apply(); }
    else return;
    event.preventDefault();
  });
  return {
    show(element) {
      const found = element.getBoundingClientRect();
      const at = new DOMPoint(found.x + found.width / 2, found.y + found.height / 2).matrixTransform(picture.getScreenCTM().inverse());
      view.x = at.x - view.width / 2;
      view.y = at.y - view.height / 2;
      apply();
    },
  };
}
