import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, take, type Schemas } from "../../api";
import { Copied } from "../../components/Copied";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { moment } from "../../numbers";

/** Makes the link by which somebody chooses a password. */
export function LinkFor({ person }: { person: Schemas["Person"] }) {
  const queries = useQueryClient();
  const [mail, setMail] = useState("");
  const mails = useQuery({ queryKey: sourceKey("mailing"), queryFn: () => take(api.GET("/me/mailing")) });
  const make = useMutation({
    mutationFn: () =>
      take(
        api.POST("/people/{person}/link", {
          params: { path: { person: person.name } },
          body: mail.trim() ? { mail: mail.trim() } : {},
        }),
      ),
    onSuccess: () => outdated(queries, "people"),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate();
  };
  const first = person.state === "invited" || person.state === "without-password";
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">{first ? "Invitation" : "New password"}</h2>
      <p className="text-[13px] text-soft">
        {first
          ? "With the link, they choose a password and are signed in."
          : "If the password is lost, a link lets them choose a new one. Sessions with the old password end then."}{" "}
        It works once, within 72 hours, and replaces an earlier link.
        {person.invited && ` A link is valid until ${moment(person.invited)}.`}
      </p>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        {mails.data?.available && (
          <label className="w-72">
            <span className="block text-[13px] text-soft">Mail it to (optional)</span>
            <input className="field w-full" type="email" value={mail} onChange={(e) => setMail(e.target.value)} />
          </label>
        )}
        <button type="submit" className="main-act" disabled={make.isPending}>
          Make a link
        </button>
      </form>
      <Refused error={make.error} className="mt-2" />
      {make.data && <Made link={make.data} />}
    </section>
  );
}

function Made({ link }: { link: Schemas["LinkMade"] }) {
  return (
    <div role="status" className="mt-3">
      <p>Give this link only to them. It is shown only once:</p>
      <p>
        <Copied text={link.address} />
      </p>
      {link.mailed && <p>It was mailed.</p>}
      {link.said && <p className="text-accent">It was not mailed: {link.said}</p>}
    </div>
  );
}
