import type { ReactNode } from "react";
import { Link } from "react-router";
import { Frame } from "../../components/Frame";
import { Failure, Loading } from "../../components/States";
import { useCatalogue, type Catalogue } from "./data";
import { failed } from "../../failed";

/** The link to a distribution, by its name once that is known. */
export const upToDistribution = (key: string) => ({
  to: `/catalogue/${key}`,
  name: (all?: Catalogue) => all?.distributions.find((d) => d.key === key)?.name ?? key,
});

/** What a release or an edition is called, by the name of its distribution once that is known. */
export const titleBelow = (distribution: string, rest: string) => (all?: Catalogue) =>
  `${upToDistribution(distribution).name(all)} ${rest}`;

/** A page of the catalogue: the way back up, and the whole catalogue at hand. */
export function Page({
  title,
  up,
  children,
}: {
  title: (all?: Catalogue) => string;
  up: { to: string; name: (all?: Catalogue) => string }[];
  children: (all: Catalogue) => ReactNode;
}) {
  const all = useCatalogue();
  return (
    <Frame title={title(all.data)}>
      <nav aria-label="You are here" className="text-[13px]">
        {[{ to: "/catalogue", name: () => "Catalogue" }, ...up].map((u) => (
          <span key={u.to}>
            <Link className="act" to={u.to}>
              {u.name(all.data)}
            </Link>{" "}
            ›{" "}
          </span>
        ))}
      </nav>
      {all.isPending ? (
        <Loading what="the catalogue" />
      ) : failed(all) ? (
        <Failure error={all.error} again={() => all.refetch()} />
      ) : (
        children(all.data)
      )}
    </Frame>
  );
}

/** Facts with their names, in two columns; empty ones are left out. */
export function Facts({ of }: { of: [string, ReactNode][] }) {
  return (
    <dl className="my-3 grid max-w-2xl grid-cols-[11rem_1fr] gap-y-0.5">
      {of
        .filter(([, v]) => v != null && v !== "" && v !== false)
        .map(([name, v]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd>{v}</dd>
          </div>
        ))}
    </dl>
  );
}
