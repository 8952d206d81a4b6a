// Plans in the making: asked for, told of as they come along, followed again after a reload.
import { ask, toast } from "./talk.js";

/** `url`: of the plan; `box`: the line that tells; `over(told)`: what is done at a job's end. */
export const jobs = (url, box, over) => {
  let running = null;
  let news = null;

  const tell = (job) => {
    box.hidden = false;
    const { words, seconds, reached } = job.progress;
    const taken = seconds ? ` (${Math.round(seconds)} s)` : "";
    box.querySelector("[data-words]").textContent = (words || "Waiting for a worker") + taken;
    box.querySelector("[data-reached]").replaceChildren(
      ...(reached ?? []).map(({ name, told, value, bound }) => {
        const item = document.createElement("li");
        item.textContent = `${name}: ${told}${value <= bound ? " (proved)" : ""}`;
        return item;
      }),
    );
  };

  const out = {
    /** Show a job's news as they happen, until it ends. */
    follow(job) {
      running = job.id;
      news?.close();
      tell(job);
      news = new EventSource(`${url}/jobs/${job.id}/events`);
      news.onmessage = (event) => {
        const told = JSON.parse(event.data);
        tell(told);
        if (told.open) return;
        news.close();
        running = null;
        box.hidden = true;
        if (told.state === "failed") toast(told.words);
        over(told);
      };
      news.onerror = () => {
        if (running)
          box.querySelector("[data-words]").textContent =
            "The worker's news are interrupted; trying again.";
      };
    },

    async start(wanted) {
      try {
        out.follow(await ask(`${url}/jobs`, { method: "POST", json: wanted }));
      } catch (error) {
        toast(error.message);
      }
    },

    stop() {
      if (running)
        ask(`${url}/jobs/${running}/cancel`, { method: "POST" }).catch((error) =>
          toast(error.message),
        );
    },
  };
  return out;
};
