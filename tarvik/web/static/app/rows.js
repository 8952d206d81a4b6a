// Work that is done for many things, a few at a time.

/** Do `work` for each of `many`, at most `most` at once, in their order. */
export const atOnce = async (many, most, work) => {
  const waiting = [...many];
  const worker = async () => {
    while (waiting.length) await work(waiting.shift());
  };
  await Promise.all(Array.from({ length: most }, worker));
};
