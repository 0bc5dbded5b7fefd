// How warm the board gets, as a layer of the drawing with its scale; it is worked out where parts and copper are known.
import { design, tell } from "../frame.js";
import { t } from "../frame/texts.js";
import { drawing } from "./drawing.js";

const scale = document.getElementById("heat-scale");

// Shows the layer or takes it away; gives whether it is shown.
export async function heat(on) {
  drawing.heat = null;
  scale.hidden = true;
  if (!on) return false;
  const answer = await fetch(`/d/${design}/board/heat.json`);
  const told = await answer.json();
  if (!answer.ok) {
    tell(`${told.message} ${told.next_step}`);
    return false;
  }
  drawing.heat = told;
  scale.hidden = false;
  const [top, bottom] = scale.querySelectorAll("span");
  top.textContent = `${told.top} °C`;
  bottom.textContent = `${told.bottom} °C`;
  tell(t`${told.hottest} °C at its hottest, in state ${told.state}`, true);
  return true;
}
