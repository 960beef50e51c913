// Requests to our own server, with the CSRF token; errors become the sentence the server sent.
window.upwelling = window.upwelling || {};

upwelling.token = function () {
  const found = document.cookie.split("; ").find((part) => part.startsWith("csrftoken="));
  return found ? found.split("=")[1] : "";
};

upwelling.sentence = async function (response) {
  try {
    const body = await response.json();
    return body.error || "The server did not say why.";
  } catch {
    return response.status === 413 ? "That file is larger than this server takes." : "The server could not answer. Try again.";
  }
};

upwelling.post = async function (url, body, signal) {
  let response;
  try {
    response = await fetch(url, {
      method: "POST",
      headers: { "X-CSRFToken": upwelling.token(), Accept: "application/json", "Content-Type": "application/json" },
      body: JSON.stringify(body || {}),
      signal,
    });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Error("The server cannot be reached. What is on this page is kept; try again.");
  }
  if (!response.ok) {
    const failure = new Error(await upwelling.sentence(response.clone()));
    failure.response = response;
    throw failure;
  }
  return response;
};

// The lines of JSON of an answer that comes bit by bit, one after the other.
upwelling.lines = async function* (response) {
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    const parts = (rest + (value || "")).split("\n");
    rest = done ? "" : parts.pop();
    for (const part of parts) if (part) yield JSON.parse(part);
    if (done) return;
  }
};
