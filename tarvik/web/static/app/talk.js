// Talking with the server, and with the person.

// What is written goes on its way even if the page is left meanwhile; browsers carry about 60 kB
// so.
const CARRIED = 16000; // letters, of up to three bytes

// A change that could not be kept is sent again by itself, so often and so long.
const AGAIN_EVERY = 2000; // milliseconds
const AGAIN_FOR = 20 * 60 * 1000;
let waiting = 0;
addEventListener("beforeunload", (event) => {
  if (waiting) event.preventDefault();
});

const pause = (ms) => new Promise((go) => setTimeout(go, ms));

async function reach(url, options) {
  try {
    return await fetch(url, options);
  } catch (error) {
    if (error.name === "AbortError") throw error;
    const words = "The server does not answer. What you typed is still here; try again.";
    throw Object.assign(new Error(words), { status: 0 });
  }
}

// The answer to a change. While the server says that it cannot keep anything just now (503: it kept
// nothing of this one), the change waits and is sent again.
async function change(url, options) {
  let response = await reach(url, options);
  if (response.status !== 503) return response;
  const note = toast(
    "Not saved yet: the server cannot save just now. It is sent again by itself.",
    undefined,
    true,
  );
  waiting += 1;
  try {
    const end = Date.now() + AGAIN_FOR;
    while (response.status === 503 && Date.now() < end) {
      await pause(AGAIN_EVERY);
      response = await reach(url, options).catch(() => response);
    }
  } finally {
    waiting -= 1;
    note.remove();
  }
  if (response.ok) toast("Saved now.");
  return response;
}

/**
 * @param {string} url
 * @param {{ method?: string, json?: any, form?: FormData, signal?: AbortSignal }} [options]
 */
export async function ask(url, { method = "GET", json, form, signal } = {}) {
  const headers = { Accept: "application/json" };
  if (json !== undefined) headers["Content-Type"] = "application/json";
  const letter = json === undefined ? undefined : JSON.stringify(json);
  const body = letter ?? form;
  const short = letter === undefined ? form === undefined : letter.length < CARRIED;
  const keepalive = method !== "GET" && short;
  const options = { method, headers, signal, body, keepalive };
  const response = await (method === "GET" ? reach(url, options) : change(url, options));
  const kind = response.headers.get("content-type") || "";
  const content = kind.includes("json") ? await response.json() : await response.text();
  if (!response.ok) {
    const words =
      content.errors?.[0]?.message || content.detail || "Something went wrong; try again.";
    throw Object.assign(new Error(words), { status: response.status, problem: content });
  }
  return content;
}

/** What undo and redo would do, told on their buttons as a fresh answer in `lists` says it. */
export const tellUndo = (root, lists) => {
  for (const which of ["undo", "redo"]) {
    const words = lists.querySelector(`[data-${which}-words]`).textContent;
    const told = root.querySelector(`[data-act=${which}]`);
    told.querySelector("span").textContent = words;
    told.disabled = !words;
  }
};

/** A small button that does something. */
export const button = (words, action, css = "btn-outline-primary") => {
  const made = document.createElement("button");
  made.type = "button";
  made.className = `btn btn-sm ${css}`;
  made.textContent = words;
  made.addEventListener("click", action);
  return made;
};

export function toast(words, undo, stays = false) {
  const box = document.createElement("div");
  box.className = "toast-box";
  box.append(words, " ");
  const choice = (label, action) => {
    const close = () => {
      box.remove();
      action?.();
    };
    box.append(button(label, close, "btn-light"), " ");
  };
  if (undo) choice("Undo", undo);
  choice("Close");
  document.getElementById("toasts").append(box);
  if (!undo && !stays) setTimeout(() => box.remove(), 8000);
  return box;
}

// A cell or field that failed keeps what was typed and says what is wrong beside it.
export function fault(input, words) {
  clear(input);
  if (!words) return;
  const note = document.createElement("small");
  note.className = "cell-fault";
  note.id = `fault-${Math.random().toString(36).slice(2)}`;
  note.setAttribute("role", "alert");
  note.textContent = words;
  input.setAttribute("aria-invalid", "true");
  input.setAttribute("aria-describedby", note.id);
  input.after(note);
  return note;
}

export function clear(input) {
  input.removeAttribute("aria-invalid");
  input.removeAttribute("aria-describedby");
  const next = input.nextElementSibling;
  if (next?.classList.contains("cell-fault")) next.remove();
}

// Two leaders changed the same thing: show both values side by side and let this one choose.
export function conflict(input, problem, keepTheirs, useMine) {
  const note = fault(input, "Somebody else changed this meanwhile.");
  const choose = (label, action) => {
    const settle = () => {
      clear(input);
      action();
    };
    note.append(" ", button(label, settle));
  };
  choose(`Keep theirs: ${problem.theirs || "(empty)"}`, keepTheirs);
  choose(`Use mine: ${problem.mine || "(empty)"}`, useMine);
}

// Save one field on leaving it. `holder` carries data-version; `partner` is a field that belongs
// with it: what was typed there and not kept goes along.
export async function saveField(input, url, holder, saved, partner = null) {
  clear(input);
  const body = {
    column: input.dataset.column,
    text: input.value,
    version: Number(holder.dataset.version),
    was: input.dataset.was,
  };
  if (body.text === body.was) return;
  const waits = partner && partner.value !== partner.dataset.was;
  if (waits) body.also = { [partner.dataset.column]: partner.value };
  input.classList.add("saving");
  try {
    const answer = await ask(url, { method: "PATCH", json: body });
    holder.dataset.version = answer.version;
    input.dataset.was = answer.text;
    input.value = answer.text;
    const both = answer.also?.[partner?.dataset.column];
    if (both !== undefined) {
      clear(partner);
      partner.value = partner.dataset.was = both;
    }
    input.classList.add("saved");
    setTimeout(() => input.classList.remove("saved"), 1200);
    saved?.(answer);
  } catch (error) {
    if (error.status === 409 && error.problem.theirs === body.text) {
      // It was saved by a request whose answer never came.
      holder.dataset.version = error.problem.version;
      input.dataset.was = body.text;
      saved?.({ version: error.problem.version, text: body.text });
    } else if (error.status === 409) {
      const { theirs, version } = error.problem;
      conflict(
        input,
        error.problem,
        () => {
          holder.dataset.version = version;
          input.value = input.dataset.was = theirs;
        },
        () => {
          holder.dataset.version = version;
          input.dataset.was = theirs;
          saveField(input, url, holder, saved, partner);
        },
      );
    } else {
      fault(input, error.message);
    }
  } finally {
    input.classList.remove("saving");
  }
}
