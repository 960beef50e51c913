// Whether a key pressed is meant for a field or an open dialog, and so for no key of the page.
const FIELDS = "input:not([type=checkbox], [type=radio], [type=range]), select, textarea, [contenteditable]";

export const meantElsewhere = (event) => event.target.matches(FIELDS) || Boolean(document.querySelector("dialog[open]"));
