// What was done without network: kept on this device in the order it was done, and sent when
// Tarvik can be reached. Each entry has a name of its own, so that the server can tell one that it
// has had.

// Being on some network is not yet reaching Tarvik: it is asked, past any worker that keeps pages.
export const reachable = () =>
  fetch("/healthz", { method: "HEAD", cache: "no-store" }).then(
    () => true,
    () => false,
  );

export class Waiting {
  constructor(name, store = globalThis.localStorage) {
    this.name = name;
    this.store = store;
    this.sending = null;
  }

  list() {
    return JSON.parse(this.store.getItem(this.name) || "[]");
  }

  keep(entries) {
    if (entries.length) this.store.setItem(this.name, JSON.stringify(entries));
    else this.store.removeItem(this.name);
  }

  // Adds an entry; one that `replaces` the same thing takes the place of what was said before.
  put(entry) {
    const others = this.list().filter((one) => !entry.replaces || one.replaces !== entry.replaces);
    this.keep([...others, { id: crypto.randomUUID(), at: new Date().toISOString(), ...entry }]);
  }

  drop(id) {
    this.keep(this.list().filter((one) => one.id !== id));
  }

  // Sends one after the other with `post`, which answers whether the server has taken it; what it
  // has not stays, and all after it. Two calls at a time are one.
  send(post) {
    this.sending ??= this.sendAll(post).finally(() => {
      this.sending = null;
    });
    return this.sending;
  }

  async sendAll(post) {
    for (const entry of this.list()) {
      const taken = await post(entry).catch(() => false);
      if (!taken) return false;
      this.drop(entry.id);
    }
    return true;
  }
}

/** What a form would send, as the body of a letter or the end of an address. */
export const bodyOf = (form) => {
  const pairs = [...new FormData(form)].map(([name, value]) => [name, String(value)]);
  return new URLSearchParams(pairs).toString();
};

/** Addresses of a page's scripts, and of its links of these kinds; of all where none is named. */
export const parts = (kinds = null) => [
  ...[...document.querySelectorAll("link")]
    .filter((link) => link.href && (kinds === null || kinds.includes(link.rel)))
    .map((link) => link.href),
  ...[...document.querySelectorAll("script")].map((one) => one.src).filter(Boolean),
];
