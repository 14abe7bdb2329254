// Long work: its progress over server-sent events, and how to stop it.
import { notice } from "./notice.js";

export class Work {
  constructor(onEnd, onNews) {
    this.onEnd = onEnd;
    this.onNews = onNews;
    this.box = document.getElementById("work");
    this.box.querySelector("button").addEventListener("click", () => {
      if (this.job) fetch(`/jobs/${this.job}/stop`, { method: "POST" });
    });
    document.body.addEventListener("job-started", (e) => this.watch(e.detail.job));
  }

  // Quiet work may be stopped without a word: something else came first.
  watch(job, quiet = false) {
    this.job = job;
    let known = 0;
    const events = new EventSource(`/jobs/${job}/events`);
    // Short work does not flash a box.
    const late = setTimeout(() => { this.box.hidden = false; }, 150);
    const end = () => {
      events.close();
      clearTimeout(late);
      this.box.hidden = true;
      this.job = null;
    };
    events.onmessage = (message) => {
      const { state, share, text, news } = JSON.parse(message.data);
      if (state === "running") {
        this.box.querySelector("b").textContent = text;
        this.box.querySelector("progress").value = share;
        if (news > known) this.onNews();
        known = news;
        return;
      }
      end();
      if (state === "failed" || (state === "stopped" && !quiet)) notice(text);
      this.onEnd(state);
    };
    events.onerror = () => {
      end();
      notice("The connection was lost: the work goes on at the server, reload the page to see it.");
    };
  }
}
