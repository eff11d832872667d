/** Rich text as plain text. The browser's own parser reads it in an inert document, so nothing in
 *  a supplier's text ever runs here. */
export function plainText(html: string): string {
  const page = new DOMParser().parseFromString(html, "text/html");
  for (const node of page.querySelectorAll("p, br, li, div")) node.append("\n");
  return (page.body.textContent ?? "").trim();
}
