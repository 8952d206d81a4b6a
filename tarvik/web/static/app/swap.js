// Puts a fresh answer in the place of what is on the page, changing only what differs: what is
// focused, scrolled to or unfolded stays so.
import { Idiomorph } from "../vendor/idiomorph.min.js";

/** Make `box` hold `html`; of the `folds` in it those that are there already stay as they are. */
export const swap = (box, html, folds = "details") => {
  Idiomorph.morph(box, html, {
    morphStyle: "innerHTML",
    callbacks: {
      beforeAttributeUpdated: (name, element) => name !== "open" || !element.matches(folds),
    },
  });
};
