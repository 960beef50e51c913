// Files dropped or chosen go up one after the other; then the page follows what the worker does with each.
import { token } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("upload", () => ({
    items: [],
    hovering: false,
    working: false,
    asking: false,
    seen: 0,
    more: 0,
    trouble: "",
    init() {
      if (Number(this.$root.dataset.busy)) this.ask();
      // What was chosen while the page was still loading had nobody to tell.
      if (this.$refs.chooser.files.length) this.choose({ target: this.$refs.chooser });
    },
    get any() {
      return this.items.length > 0;
    },
    get rest() {
      return this.any && this.items.every((item) => !item.busy);
    },
    get moreText() {
      return `and ${this.more} more`;
    },
    // One that is not looked at any more, or is ended while it is.
    async stop(event) {
      const body = new FormData();
      body.append("arrival", event.currentTarget.dataset.arrival);
      const headers = { "X-CSRFToken": token(), Accept: "application/json" };
      const response = await fetch(this.$root.dataset.dismiss, { method: "POST", headers, body });
      if (response.ok) this.items = this.items.filter((item) => String(item.arrival) !== body.get("arrival"));
    },
    get classes() {
      return { hovering: this.hovering };
    },
    over() {
      this.hovering = true;
    },
    out() {
      this.hovering = false;
    },
    drop(event) {
      this.hovering = false;
      this.take(event.dataTransfer.files);
    },
    choose(event) {
      this.take([...event.target.files]);
      event.target.value = "";
    },
    take(files) {
      for (const file of files) {
        this.items.push({
          key: "u" + this.items.length + file.name,
          name: file.name,
          file,
          done: 0,
          busy: true,
          message: "waiting",
        });
      }
      this.next();
    },
    next() {
      if (this.working) return;
      const item = this.items.find((candidate) => candidate.file);
      if (!item) return;
      this.working = true;
      const body = new FormData();
      body.append("file", item.file);
      const request = new XMLHttpRequest();
      const finish = (message, busy) => {
        item.file = null;
        item.busy = busy;
        item.message = message;
        this.working = false;
        this.next();
      };
      request.upload.onprogress = (event) => {
        item.done = event.loaded / event.total;
        item.message = event.loaded < event.total ? Math.round(item.done * 100) + " %" : "handed over";
      };
      request.onload = () => {
        if (request.status === 202) {
          item.arrival = JSON.parse(request.responseText).arrival;
          finish("waiting to be looked at", true);
          // The poll may have listed it before this answer came: then there are two of it, and that one goes.
          this.items = this.items.filter((other) => other.arrival !== item.arrival || other.key === item.key);
          return this.ask();
        }
        let sentence = "The server could not take this file. Try again.";
        try {
          sentence = JSON.parse(request.responseText).error || sentence;
        } catch {
          /* not JSON: keep the sentence */
        }
        finish("▲ " + sentence, false);
      };
      request.onerror = () => finish("▲ The server cannot be reached. Try again.", false);
      request.open("POST", this.$root.dataset.url);
      request.setRequestHeader("X-CSRFToken", token());
      request.setRequestHeader("Accept", "application/json");
      request.send(body);
    },
    ask() {
      if (this.asking) return;
      this.asking = true;
      this.poll();
    },
    async poll() {
      try {
        const response = await fetch(this.$root.dataset.progress, { headers: { Accept: "application/json" } });
        if (response.ok) {
          const said = await response.json();
          Object.assign(this, { more: said.more, trouble: said.trouble });
          this.show(said.arrivals);
        }
      } catch {
        /* the server may be restarting: ask again */
      }
      if (this.items.some((item) => item.busy)) return setTimeout(() => this.poll(), 600);
      this.asking = false;
      // New shots are in the table after a reload; the list of what arrived stays until it is cleared.
      if (this.fresh) window.location.reload();
    },
    show(arrivals) {
      for (const arrival of arrivals) {
        let item = this.items.find((candidate) => candidate.arrival === arrival.id);
        if (!item) {
          item = { key: "a" + arrival.id, arrival: arrival.id, name: arrival.name, file: null, busy: !arrival.over };
          this.items.push(item);
          item = this.items[this.items.length - 1];
        }
        if (item.busy && arrival.over && arrival.state === "done") this.fresh = true;
        item.busy = !arrival.over;
        item.stoppable = !arrival.over;
        item.done = arrival.progress;
        item.message = (arrival.state === "failed" ? "▲ " : "") + (arrival.message || arrival.label);
      }
    },
  }));
});
