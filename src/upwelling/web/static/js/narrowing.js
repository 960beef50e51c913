// Long menus with a field beside them that leaves the entries with the typed words; Enter takes the first of them.
// What a menu has chosen stays chosen until another entry is. Entries that stand for no choice are always there.
const NONE = ["", "-"];

function fits(option, words) {
  const text = option.text.toLowerCase();
  return words.every((word) => text.includes(word));
}

function beside(select) {
  const field = document.createElement("input");
  field.type = "search";
  field.className = "form-control form-control-sm narrowing";
  field.placeholder = "find";
  field.disabled = select.disabled;
  field.setAttribute("aria-label", select.dataset.narrowed);
  const options = [...select.options].filter((option) => !NONE.includes(option.value));
  const left = () => {
    const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
    return options.filter((option) => fits(option, words));
  };
  const narrow = () => {
    const shown = left();
    for (const option of options) option.hidden = !shown.includes(option);
    field.classList.toggle("nothing", shown.length === 0);
  };
  field.addEventListener("input", narrow);
  field.addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const [first] = left();
    if (!first || !field.value.trim()) return;
    field.value = "";
    narrow();
    select.value = first.value;
    select.focus();
    select.dispatchEvent(new Event("change", { bubbles: true }));
  });
  select.after(field);
  // A menu that is enabled when something is selected takes its field along.
  new MutationObserver(() => {
    field.disabled = select.disabled;
  }).observe(select, { attributeFilter: ["disabled"] });
}

export function narrow(within) {
  for (const select of within.querySelectorAll("select[data-narrowed]")) beside(select);
}

narrow(document);
