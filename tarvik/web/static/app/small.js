// Small components: fields of a course, selects that send themselves, the print button.
import { shutOnPhones } from "./phone.js";
import { ask, saveField } from "./talk.js";

/** @returns {any} */
export const fields = () => ({
  save(event) {
    const input = event.target;
    if (!input.dataset.column) return;
    saveField(input, this.$root.dataset.url, this.$root, () => {
      if (input.dataset.reload) location.reload();
    });
  },
});

/** @returns {any} */
export const savedFields = () => ({
  ...fields(),
  saveAndReload(event) {
    saveField(event.target, this.$root.dataset.url, this.$root, () => location.reload());
  },
});

export const autoSubmit = () => ({
  send() {
    this.$root.requestSubmit();
  },
});

export const printer = () => ({
  print() {
    window.print();
  },
});

// What is folded away on the screen is printed all the same.
export const printed = () => ({
  init() {
    addEventListener("beforeprint", () => {
      this.$root.open = true;
    });
  },
});

// A participant's link, to be copied or handed to whatever the device shares with.
export const handOn = () => ({
  share: "share" in navigator,
  done: "",
  get url() {
    return this.$root.dataset.link;
  },
  async copy() {
    const copied = await navigator.clipboard?.writeText(this.url).then(
      () => true,
      () => false,
    );
    this.done = copied ? "Copied." : "This browser does not copy: hold the link and copy it there.";
  },
  async hand() {
    await navigator.share({ title: this.$root.dataset.title, url: this.url }).catch(() => {});
  },
});

// A select that leads to another page.
export const goTo = () => ({
  go(event) {
    location.href = event.target.value;
  },
});

// A part of a page that takes longer: fetched when the page is there.
export const slow = () => ({
  async init() {
    try {
      this.$root.innerHTML = await ask(this.$root.dataset.url);
      shutOnPhones(this.$root);
    } catch (error) {
      this.$root.textContent = error.message;
    }
    this.$root.dataset.done = "yes";
  },
});

// At the very first start: how far the compiling is, until all is ready.
export const readying = () => ({
  words: "",
  percent: 0,
  init() {
    this.words = this.$root.querySelector("span").textContent;
    this.percent = this.$root.querySelector("progress").value;
    const look = async () => {
      const answer = await fetch("/readyz", { cache: "no-store" }).catch(() => null);
      if (answer?.ok) {
        this.words = "Tarvik is ready";
        this.percent = 100;
        return;
      }
      const told = await answer?.json().catch(() => null);
      if (told?.detail) {
        this.words = told.detail;
        this.percent = Number(/(\d+) %/.exec(told.detail)?.[1] ?? this.percent);
      }
      setTimeout(look, 2000);
    };
    setTimeout(look, 2000);
  },
});

// A form that could not be kept: sent again with all that was typed as soon as the server is ready.
export const again = () => ({
  init() {
    const look = async () => {
      const ready = await fetch("/readyz", { cache: "no-store" }).then(
        (answer) => answer.ok,
        () => false,
      );
      if (ready) this.$root.requestSubmit();
      else setTimeout(look, 2000);
    };
    setTimeout(look, 2000);
  },
});

// How the screen looks: as usual, hard contrasts for the sun, or red for eyes used to the dark.
// Kept by this browser alone.
const LOOK_KEPT_S = 365 * 24 * 3600;

export const look = () => ({
  init() {
    this.tell();
  },
  choose(event) {
    const wanted = event.target.closest("[data-look]")?.dataset.look;
    if (wanted === undefined) return;
    document.documentElement.dataset.look = wanted;
    document.cookie = `tarvik-look=${wanted}; path=/; max-age=${LOOK_KEPT_S}; samesite=lax`;
    this.tell();
  },
  tell() {
    const now = document.documentElement.dataset.look ?? "";
    for (const button of this.$root.querySelectorAll("[data-look]"))
      button.setAttribute("aria-pressed", String(button.dataset.look === now));
  },
});

// Menus of the frame: one open at a time; Escape and a click elsewhere close them.
export const menus = () => ({
  init() {
    const all = () =>
      [...document.querySelectorAll("details")].filter((one) => one.matches(".menu[open]"));
    this.$root.addEventListener(
      "toggle",
      (event) => {
        if (event.target.open)
          all()
            .filter((menu) => menu !== event.target)
            .forEach((menu) => {
              menu.open = false;
            });
      },
      true,
    );
    document.addEventListener("click", (event) =>
      all()
        .filter((menu) => !menu.contains(/** @type {Node} */ (event.target)))
        .forEach((menu) => {
          menu.open = false;
        }),
    );
    document.addEventListener("keydown", (event) => {
      if (event.key !== "Escape") return;
      for (const menu of all()) {
        menu.open = false;
        menu.querySelector("summary").focus();
      }
    });
  },
});
