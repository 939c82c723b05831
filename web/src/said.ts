const name = "dtally_said";

/** What the service had to say when it led back here, once. */
export function takeSaid(): string | undefined {
  const found = document.cookie.split("; ").find((c) => c.startsWith(`${name}=`));
  if (!found) return undefined;
  // biome-ignore lint/suspicious/noDocumentCookie: it is read and ended while the page is drawn
  document.cookie = `${name}=; path=/; max-age=0`;
  return decodeURIComponent(found.slice(name.length + 1));
}
