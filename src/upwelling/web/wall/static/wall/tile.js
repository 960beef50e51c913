// One tile: its picture and parade, name, figures, and what is said of it.
export function fill(element, place, told, cell, state) {
  const one = told && told.cells[cell],
    [shot, frame, event, name] = place,
    first = cell === 0,
    link = element.querySelector("a"),
    [picture, parade] = link.querySelectorAll("img");
  element.classList.toggle("chosen", state.chosen);
  element.classList.toggle("compared", state.compared);
  element.classList.toggle("several", state.several);
  link.href = state.href;
  link.tabIndex = state.here && first ? 0 : -1;
  link.setAttribute("aria-label", [name, one && one.title, told && told.figures].filter(Boolean).join(", "));
  const shown = state.tried || (one && one.made ? one : {});
  show(picture, shown.picture);
  show(parade, state.several ? "" : state.proposal ? state.proposal.picture : shown.parade);
  const problem = (told && told.problem) || (one && (one.problem || one.none)) || "";
  put(element, ".waiting", problem || (shown.picture ? "" : "…"));
  element.querySelector(".waiting").classList.toggle("problem", Boolean(problem));
  put(element, ".pending", first ? state.pending : "");
  put(element, ".tilename b", first ? (event ? `${event} · ${name}` : name) : one ? one.title : "");
  put(element, ".tilewhat", first && told && state.several ? one.title : "");
  put(element, ".tilefigures", first ? [told && told.figures, delta(told)].filter(Boolean).join(" · ") : "");
  said(element.querySelector(".tilesaid"), first ? told : null, first ? state.proposal : null);
  element.dataset.shot = shot;
  element.dataset.frame = frame;
}

export function show(image, address) {
  image.hidden = !address;
  if (address && image.getAttribute("src") !== address) image.src = address;
}

function put(element, find, text) {
  const one = element.querySelector(find);
  if (one.textContent !== text) one.textContent = text || "";
  one.hidden = !text;
}

// ΔE to the frame before, and to the one all are compared with.
function delta(told) {
  if (!told) return "";
  const parts = [];
  if (told.neighbour) parts.push(told.neighbour.why ? "" : `ΔE ${told.neighbour.delta_e.toFixed(1)}`);
  if (told.chosen && !told.chosen.why) parts.push(`to it ${told.chosen.delta_e.toFixed(1)}`);
  return parts.filter(Boolean).join(" · ");
}

function said(element, told, proposal) {
  const rows = proposal ? [proposed(proposal)] : told ? told.reasons : [],
    text = rows.map((row) => `${row.mark || (row.sure ? "▲" : "△")} ${row.said}`).join(" · ");
  if (element.textContent !== text) element.textContent = text;
  element.title = text;
  element.classList.toggle("sure", rows.some((row) => row.sure));
  element.classList.toggle("proposal", Boolean(proposal));
}

function proposed({ state, said: words, to }) {
  const text = {
    waiting: "matching …",
    found: `${words} · to ${to}`,
    accepted: `taken: ${words}`,
    alike: "sits beside it already",
  }[state];
  return { said: text || words, sure: state === "refused", mark: state === "refused" ? "▲" : "●" };
}
