/** The build of the console that this page belongs to; empty while it is developed. */
export const build = document.querySelector<HTMLMetaElement>('meta[name="console"]')?.content ?? "";

/** Where a browser keeps who has signed in in it, so that readers wait for nothing. */
export const personKey = "dapper-tally person";
