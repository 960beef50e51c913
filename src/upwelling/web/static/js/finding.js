// Lists: a menu that is changed asks at once; a span of rows is chosen by Shift and a click, in every table.
document.addEventListener("alpine:init", () => {
  Alpine.data("finding", () => ({
    send() {
      // What asks for nothing is left out of the address.
      for (const one of this.$root.elements) if (one.name && !one.value) one.disabled = true;
      this.$root.submit();
    },
  }));
});

const TICK = "table.rows tbody input[type=checkbox]";
let last = null;

document.addEventListener("click", (event) => {
  const box = event.target;
  if (!box.matches(TICK)) return;
  const boxes = [...box.closest("form, section, main").querySelectorAll(TICK)].filter((one) => !one.disabled),
    here = boxes.indexOf(box),
    from = boxes.indexOf(last);
  last = box;
  if (!event.shiftKey || from < 0) return;
  for (const one of boxes.slice(Math.min(here, from), Math.max(here, from) + 1)) one.checked = box.checked;
  box.dispatchEvent(new Event("change", { bubbles: true }));
});
