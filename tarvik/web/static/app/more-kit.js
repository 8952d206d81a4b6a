// Would more kit help: asks for the proposals and follows how far they are.
import { jobs } from "./plan-jobs.js";

export const moreKit = () => ({
  init() {
    this.jobs = jobs(this.$root.dataset.plan, this.$refs.job, () => {
      location.assign(location.pathname);
    });
    const { running } = this.$refs.job.dataset;
    if (running) this.jobs.follow(JSON.parse(running));
    // What might be had was just kept: its form asks for the proposals too.
    else if (new URLSearchParams(location.search).has("work")) {
      history.replaceState(null, "", location.pathname);
      this.jobs.start({ kind: "kit" });
    }
  },

  compare(event) {
    const typed = [...new FormData(event.target)].map(([key, count]) => [key, Number(count)]);
    this.jobs.start({ kind: "kit", own: Object.fromEntries(typed) });
  },

  stop() {
    this.jobs.stop();
  },
});
