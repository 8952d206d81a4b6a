// The field book: readings written down, the range finder's shots, what a leader looked at.
import { ask, fault, toast } from "./talk.js";

/** Show the fields of the way a reading is taken, and no others. */
export const ways = (form) => {
  const way = form.elements.way.value;
  for (const label of form.querySelectorAll("[data-for]")) {
    const wanted = label.dataset.for.split(" ").includes(way);
    label.hidden = !wanted;
    for (const input of label.querySelectorAll("input, select")) input.disabled = !wanted;
  }
};

const valuesOf = (form) => {
  /** @type {Record<string, any>} */
  const values = Object.fromEntries([...new FormData(form)].filter(([, value]) => value !== ""));
  if (typeof values.corners === "string")
    values.corners = values.corners.split(",").map((corner) => corner.trim().split(/\s+/));
  return values;
};

/** Send a form that puts something on the ground; its faults are told beside its fields. */
export const added = async (form, url) => {
  for (const input of form.elements) if (input.name) fault(input, "");
  try {
    await ask(`${url}/items`, {
      method: "POST",
      json: { kind: form.dataset.add, values: valuesOf(form) },
    });
    return true;
  } catch (error) {
    const named = form.elements[error.problem?.field];
    const field = named?.type && named.type !== "hidden" ? named : firstField(form);
    fault(field, error.message);
    field.focus();
    return false;
  }
};

/** The first field of a form that can be typed into. */
export const firstField = (form) =>
  [...form.elements].find(
    (each) => each.name && each.type !== "hidden" && !each.disabled && !each.closest("[hidden]"),
  );

/** What a leader looked at: `send` as in map-shelters. */
export const tick = (box, send) => {
  const values = {
    key: box.dataset.check,
    done: box.querySelector("[data-tick]").checked,
    note: box.querySelector("[data-note]").value,
  };
  const { item, version } = box.dataset;
  return item
    ? send(`/items/${item}`, { method: "PATCH", json: { values, version: Number(version) } })
    : send("/items", { method: "POST", json: { kind: "check", values } });
};

/**
 * The range finder's shots come in live; the last one stands in the fields until it is written
 * down. `form()`: the form of the moment; `typed`, `unit`: how metres are written there.
 */
export const finder = (url, form, typed, unit) => {
  let socket = null;
  return (button) => {
    if (socket) {
      socket.close();
      return;
    }
    socket = new WebSocket(`${location.origin.replace(/^http/, "ws")}${url}/finder`);
    button.textContent = "Stop listening";
    socket.addEventListener("message", (event) => {
      const { shot, range_m, bearing_deg } = JSON.parse(event.data);
      const at = form();
      if (!at || at.elements.way.value !== "finder") return;
      at.elements.length_m.value = typed(range_m);
      at.elements.bearing_deg.value = bearing_deg;
      at.querySelector("[data-shot]").textContent =
        `shot ${shot}: ${typed(range_m)} ${unit}, ${bearing_deg}°`;
    });
    socket.addEventListener("close", (event) => {
      socket = null;
      const again = form()?.querySelector("[data-act=listen]");
      if (again) again.textContent = "Listen to the finder";
      if (event.code === 1011 || event.code === 1008)
        toast("The range finder does not answer; type what it shows.");
    });
  };
};
