// The Queue: asked for again each second, its buttons answered in place, its rows dragged to do them earlier or later.
document.addEventListener("alpine:init", () => {
  Alpine.data("queue", () => ({
    held: null,
    busy: false,
    init() {
      this.again();
    },
    again() {
      setTimeout(async () => {
        if (!this.held && !this.busy && !document.hidden) await this.refresh();
        this.again();
      }, 1000);
    },
    async refresh() {
      try {
        const response = await fetch(this.$root.dataset.rows);
        const text = await response.text();
        if (response.ok && !response.redirected && !this.held && !this.busy) this.put(text);
      } catch {
        /* the server may be restarting: ask again */
      }
    },
    async send(address, body) {
      this.busy = true;
      try {
        const response = await fetch(address, { method: "POST", body, headers: { "X-Part": "1" } });
        if (response.ok) this.put(await response.text());
      } finally {
        this.busy = false;
      }
    },
    async act(event) {
      await this.send(event.target.action, new FormData(event.target));
    },
    // The rows as they are now; the button or link in hand keeps the focus, wherever its row has gone.
    put(text) {
      const now = document.activeElement;
      const row = this.$refs.rows.contains(now) && now.closest("tr");
      const label = now.textContent.trim();
      this.$refs.rows.innerHTML = text;
      const again = row && this.$refs.rows.querySelector('tr[data-job="' + row.dataset.job + '"]');
      const same = again && [...again.querySelectorAll("button, a")].find((one) => one.textContent.trim() === label);
      if (same) same.focus();
    },
    lift(event) {
      this.held = event.target.closest("tr[draggable]");
      if (this.held) this.held.classList.add("held");
    },
    over(event) {
      const row = event.target.closest("tr[draggable]");
      if (!this.held || !row || row === this.held) return;
      const before = event.offsetY < row.offsetHeight / 2;
      row.parentNode.insertBefore(this.held, before ? row : row.nextSibling);
    },
    async drop() {
      if (!this.held) return;
      const rows = [...this.$refs.rows.querySelectorAll("tr[draggable]")];
      const body = new FormData();
      body.append("order", rows.map((one) => one.dataset.job).join(","));
      const form = this.held.querySelector("form");
      body.append("csrfmiddlewaretoken", form.elements.csrfmiddlewaretoken.value);
      const address = form.action.replace(/[a-z]+\/$/, "order/");
      this.letGo();
      await this.send(address, body);
    },
    letGo() {
      if (this.held) this.held.classList.remove("held");
      this.held = null;
    },
  }));
});
