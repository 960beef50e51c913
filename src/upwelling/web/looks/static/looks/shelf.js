// The shelf of tables: a guess taken into the fields that declare, and a folder brought in file by file.
import { token } from "../js/http.js";

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-take]");
  if (!button) return;
  const { take, expects, gives, range } = button.dataset;
  for (const box of document.querySelectorAll("input[name=table]")) box.checked = box.value === take;
  const fields = { expects, gives, expects_range: range, gives_range: range };
  for (const [name, value] of Object.entries(fields)) {
    document.querySelector(`[data-spaces] select[name=${name}]`).value = value;
  }
  document.querySelector("[data-spaces] button.btn-primary").focus();
});

document.addEventListener("alpine:init", () => {
  Alpine.data("tableFolder", () => ({
    busy: false,
    said: "",
    problems: [],
    async take(event) {
      const endings = this.$root.dataset.endings.split(",");
      const isTable = (file) => endings.some((ending) => file.name.toLowerCase().endsWith(ending));
      const all = [...event.target.files];
      const files = all.filter(isTable);
      this.busy = true;
      this.problems = [];
      let taken = 0;
      for (const [at, file] of files.entries()) {
        this.said = `${at + 1} of ${files.length}: ${file.name}`;
        const problem = await this.send(file);
        if (problem) this.problems.push(problem);
        else taken += 1;
      }
      const others = all.length - files.length;
      this.said =
        `${taken} of ${files.length} tables brought in` + (others ? `; ${others} other files passed over.` : ".");
      this.busy = false;
      if (taken && !this.problems.length) window.location.reload();
    },
    async send(file) {
      const body = new FormData();
      body.append("file", file);
      const above = file.webkitRelativePath.split("/").slice(-2, -1)[0] || "";
      body.append("tags", above.replace(/\s+/g, "-"));
      try {
        const headers = { "X-CSRFToken": token(), Accept: "application/json" };
        const answer = await fetch(this.$root.dataset.url, { method: "POST", headers, body });
        return answer.ok ? "" : ((await answer.json()).error ?? `${file.name}: the server could not answer.`);
      } catch {
        return `${file.name}: the server could not be reached.`;
      }
    },
  }));
});
