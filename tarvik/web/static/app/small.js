// Small components: fields of a course, selects that send themselves, the print button.
import { saveField } from "./talk.js";

export const fields = () => ({
  save(event) {
    const input = event.target;
    if (!input.dataset.column) return;
    saveField(input, this.$root.dataset.url, this.$root, () => {
      if (input.dataset.reload) location.reload();
    });
  },
});

export const savedFields = () => ({
  ...fields(),
  saveAndReload(event) {
    saveField(event.target, this.$root.dataset.url, this.$root, () => location.reload());
  },
});

export const autoSubmit = () => ({
  send() { this.$root.requestSubmit(); },
});

export const printer = () => ({
  print() { window.print(); },
});
