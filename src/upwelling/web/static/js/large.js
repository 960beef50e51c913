// A row's picture large: while the pointer rests on it, or by V on the row that has the focus.
const REST = 450;
const shown = document.createElement("img");
shown.className = "large-picture";
shown.alt = "";
let waiting = 0;

function show(picture) {
  shown.src = picture.dataset.large;
  document.body.append(shown);
}

function hide() {
  clearTimeout(waiting);
  shown.remove();
}

document.addEventListener("pointerover", (event) => {
  hide();
  const picture = event.target.closest("img[data-large]");
  if (picture) waiting = setTimeout(() => show(picture), REST);
});

document.addEventListener("keydown", (event) => {
  const row = event.target.matches("tbody tr") ? event.target : null,
    picture = row && row.querySelector("img[data-large]");
  if (!picture || event.key.toLowerCase() !== "v") hide();
  else if (shown.isConnected) hide();
  else show(picture);
});
