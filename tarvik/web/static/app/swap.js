// Puts a fresh answer in the place of what is on the page, changing only what differs: what is
// focused, scrolled to or unfolded stays so.
import { Idiomorph } from "../vendor/idiomorph.min.js";

// A drawing that a script has made live keeps its inside; its attributes bring the fresh values.
const keptLive = (old, fresh) => {
  if (!(old instanceof Element) || !old.matches("[data-live]")) return true;
  for (const { name, value } of fresh.attributes) old.setAttribute(name, value);
  return false;
};

/** Make `box` hold `html`; of the `folds` in it those that are there already stay as they are. */
export const swap = (box, html, folds = "details") => {
  Idiomorph.morph(box, html, {
    morphStyle: "innerHTML",
    callbacks: {
      beforeNodeMorphed: keptLive,
      beforeAttributeUpdated: (name, element) => name !== "open" || !element.matches(folds),
    },
  });
};
