// Requests to our own server, with the CSRF token; errors become the sentence the server sent.
export function token() {
  const found = document.cookie.split("; ").find((part) => part.startsWith("csrftoken="));
  return found ? found.split("=")[1] : "";
}

export async function sentence(response) {
  try {
    const body = await response.json();
    return body.error || "The server did not say why.";
  } catch {
    return response.status === 413
      ? "That file is larger than this server takes."
      : "The server could not answer. Try again.";
  }
}

// A bar on every page, shown while the session has ended; the page stays as it is.
function ended(is) {
  const bar = document.getElementById("session-ended");
  if (bar) bar.hidden = !is;
}

export async function post(url, body, signal) {
  let response;
  try {
    response = await fetch(url, {
      method: "POST",
      headers: { "X-CSRFToken": token(), Accept: "application/json", "Content-Type": "application/json" },
      body: JSON.stringify(body || {}),
      signal,
    });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Error("The server cannot be reached. What is on this page is kept; try again.");
  }
  ended(response.status === 401);
  if (!response.ok) {
    const failure = new Error(await sentence(response.clone()));
    failure.response = response;
    throw failure;
  }
  return response;
}

// The lines of JSON of an answer that comes bit by bit, one after the other.
export async function* lines(response) {
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    const parts = (rest + (value || "")).split("\n");
    rest = done ? "" : parts.pop();
    for (const part of parts) if (part) yield JSON.parse(part);
    if (done) return;
  }
}
