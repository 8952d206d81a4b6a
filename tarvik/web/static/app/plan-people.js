// People of a plan put to bed by hand: dragged as chips, or chosen from a chip's list.
import { ask, toast } from "./talk.js";

/** `show(path, options)`: change the plan and show it; `shown(html)`: show what came already. */
export const people = (root, url, show, shown) => {
  const over = (box) => {
    root.querySelector(".drop-here")?.classList.remove("drop-here");
    box?.classList.add("drop-here");
  };

  // The rule that a choice breaks is named before the choice is made, which is only knowingly.
  const bed = async (person, shelter) => {
    const path = `/people/${person}`;
    const json = { shelter: shelter ? Number(shelter) : null };
    try {
      shown(await ask(url + path, { method: "POST", json }));
    } catch (error) {
      if (error.status !== 409) {
        toast(error.message);
        await show("/view");
        return;
      }
      const knowing = confirm(
        `This breaks a rule of the course: ${error.message}.\n\n` +
          "Do it all the same? It stays marked until it is changed or accepted.",
      );
      if (knowing) await show(path, { method: "POST", json: { ...json, knowing } });
      else await show("/view");
    }
  };

  root.addEventListener("change", ({ target }) => {
    if (target.dataset.personTo) bed(target.dataset.personTo, target.value);
  });
  root.addEventListener("dragstart", (event) => {
    const chip = event.target.closest?.("[data-person]");
    if (chip) event.dataTransfer.setData("text/plain", chip.dataset.person);
  });
  root.addEventListener("dragover", (event) => {
    const box = event.target.closest("[data-drop]");
    if (!box) return;
    event.preventDefault();
    over(box);
  });
  root.addEventListener("dragleave", () => over(null));
  root.addEventListener("drop", (event) => {
    const box = event.target.closest("[data-drop]");
    over(null);
    if (!box) return;
    event.preventDefault();
    bed(event.dataTransfer.getData("text/plain"), box.dataset.drop);
  });
};
