// What this browser keeps for itself: how the room is lit, and the zone its times are said in.

function keep(name, value) {
  document.cookie = `${name}=${encodeURIComponent(value)}; path=/; max-age=31536000; samesite=lax`;
}

function light(room) {
  document.documentElement.dataset.room = room;
  keep("room", room);
  for (const choice of document.querySelectorAll("input[name=room]")) choice.checked = choice.value === room;
}

keep("zone", Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC");
for (const choice of document.querySelectorAll("input[name=room]"))
  choice.addEventListener("change", () => light(choice.value));
const button = document.getElementById("room-switch");
if (button)
  button.addEventListener("click", () => light(document.documentElement.dataset.room === "dark" ? "light" : "dark"));
