import { Link } from "react-router";
import type { Schemas } from "../api";

/** An edition as people say it: the distribution in the Clarendon, the rest beside it. */
export function EditionLabel({ name }: { name: Schemas["EditionName"] }) {
  return (
    <>
      <span className="font-serif font-semibold">{name.distribution}</span>{" "}
      <span className="whitespace-nowrap">{name.release}</span> <span className="text-soft">{name.edition}</span>
    </>
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
