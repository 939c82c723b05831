import { Link } from "react-router";
import type { Schemas } from "../api";

const longWord = /\S{25,}/;

/** An edition as people say it: the distribution in the Clarendon, the rest beside it. */
export function EditionLabel({ name }: { name: Schemas["EditionName"] }) {
  // A word that is too long for any column is broken, in a table too.
  const breaks = longWord.test(said(name)) ? "wrap-anywhere" : "";
  return (
    <span className={breaks}>
      <bdi className="font-serif font-semibold">{name.distribution}</bdi>{" "}
      <bdi className={name.release.length > 16 ? "" : "whitespace-nowrap"}>{name.release}</bdi>{" "}
      <bdi className="text-soft">{name.edition}</bdi>
    </span>
  );
}

export function EditionLink({
  edition,
  name,
  search = "",
}: {
  edition: string;
  name: Schemas["EditionName"];
  search?: string;
}) {
  return (
    <Link to={`/edition/${edition}${search}`} className="hover:underline">
      <EditionLabel name={name} />
    </Link>
  );
}

export const said = (n: Schemas["EditionName"]) => `${n.distribution} ${n.release} ${n.edition}`;
