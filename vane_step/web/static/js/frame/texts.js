// Texts of the scripts in the language of the page: t`Gap to ${name}` is looked up as "Gap to {0}".
const known = JSON.parse(document.getElementById("texts")?.textContent || "{}");

export function t(pieces, ...values) {
  const message = pieces.reduce((said, piece, k) => `${said}{${k - 1}}${piece}`);
  if (!(message in known)) return String.raw({ raw: pieces }, ...values);
  return known[message].replaceAll(/\{(\d+)\}/g, (_, k) => values[k]);
}
