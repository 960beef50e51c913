// Files dropped or chosen go up one after the other, each with its own progress and its own sentence when refused.
document.addEventListener("alpine:init", () => {
  Alpine.data("upload", () => ({
    items: [],
    hovering: false,
    working: false,
    get any() { return this.items.length > 0; },
    get classes() { return { hovering: this.hovering }; },
    over() { this.hovering = true; },
    out() { this.hovering = false; },
    drop(event) { this.hovering = false; this.take(event.dataTransfer.files); },
    choose(event) { this.take(event.target.files); event.target.value = ""; },
    take(files) {
      for (const file of files) {
        this.items.push({ key: this.items.length, name: file.name, file, done: 0, busy: true, message: "waiting" });
      }
      this.next();
    },
    next() {
      if (this.working) return;
      const item = this.items.find((candidate) => candidate.file);
      if (!item) {
        if (this.items.length && this.items.every((each) => each.message === "brought in")) window.location.reload();
        return;
      }
      this.working = true;
      const body = new FormData();
      body.append("file", item.file);
      const request = new XMLHttpRequest();
      const finish = (message) => {
        item.file = null;
        item.busy = false;
        item.message = message;
        this.working = false;
        this.next();
      };
      request.upload.onprogress = (event) => {
        item.done = event.loaded / event.total;
        item.message = event.loaded < event.total ? Math.round(item.done * 100) + " %" : "reading the file";
      };
      request.onload = () => {
        if (request.status === 201) return finish("brought in");
        let sentence = "The server could not take this file. Try again.";
        try { sentence = JSON.parse(request.responseText).error || sentence; } catch { /* not JSON: keep the sentence */ }
        finish("▲ " + sentence);
      };
      request.onerror = () => finish("▲ The server cannot be reached. Try again.");
      request.open("POST", this.$root.dataset.url);
      request.setRequestHeader("X-CSRFToken", upwelling.token());
      request.setRequestHeader("Accept", "application/json");
      request.send(body);
    },
  }));
});
