import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { Answered } from "../components/Answered";
import { TextField } from "../components/Fields";
import { Frame } from "../components/Frame";
import { SelectField } from "../components/SelectField";
import { Empty, Loading, Refused } from "../components/States";
import { outdated, sourceKey } from "../keys";
import { useConflicts, useNotices } from "../notices";
import { day, moment } from "../numbers";
import { useSession } from "../session";

type Notice = Schemas["Notice"];

const kinds: Record<Notice["kind"], string> = {
  overdue: "Overdue",
  returned: "Returned to you",
  due: "Due soon",
  mentioned: "You are mentioned",
  submitted: "Waiting for your decision",
  assigned: "Assigned to you",
  suggestion: "A suggestion to decide on",
  proposal: "A proposal to decide on",
};

/** What waits for whom has signed in, and whether it is mailed. */
export default function NoticesPage() {
  const session = useSession();
  const person = session.data?.person?.name;
  return (
    <Frame title="Notices">
      <h1>Notices</h1>
      {session.isPending ? (
        <Loading what="your notices" />
      ) : !person ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/notices">
            Sign in
          </Link>{" "}
          to see what is waiting for you.
        </Empty>
      ) : (
        <>
          <List person={person} />
          <Mailing />
        </>
      )}
    </Frame>
  );
}

function List({ person }: { person: string }) {
  const notices = useNotices();
  const conflicts = useConflicts(person).length;
  const queries = useQueryClient();
  const putAway = useMutation({
    mutationFn: (key: string) => take(api.POST("/me/notices/put-away", { body: { key } })),
    onSettled: () => outdated(queries, "notices"),
  });
  return (
    <Answered of={[notices]} what="your notices" none={null}>
      {(all) => (
        <>
          <p className="text-[13px] text-soft">
            What is waiting for you, most urgent first. Most notices disappear when the work is done; you can dismiss
            the others.
          </p>
          <Refused error={putAway.error} className="mt-2" />
          {all.length + conflicts === 0 && <Empty>Nothing is waiting for you.</Empty>}
          <ul className="mt-3 max-w-3xl border-t border-ink">
            {conflicts > 0 && (
              <li className="grid gap-x-4 border-b border-rule py-2 md:grid-cols-[12rem_1fr_auto]">
                <span className="font-medium text-accent">Not sent</span>
                <span>
                  {conflicts === 1 ? "One answer" : `${conflicts} answers`} typed in this browser{" "}
                  {conflicts === 1 ? "is" : "are"} not recorded yet.
                </span>
                <Link className="act self-start" to="/unsent">
                  Show them
                </Link>
              </li>
            )}
            {all.map((n) => (
              <li key={n.key} className="grid gap-x-4 border-b border-rule py-2 md:grid-cols-[12rem_1fr_auto]">
                <span
                  className={n.kind === "overdue" || n.kind === "returned" ? "font-medium text-accent" : "text-soft"}
                >
                  {kinds[n.kind]}
                </span>
                <span className="min-w-0">
                  <Link className="font-medium hover:underline" to={n.address}>
                    {n.title || "a review"}
                  </Link>
                  {n.text && (
                    <span dir="auto" className="block">
                      {n.text}
                    </span>
                  )}
                  <span className="block text-[13px] text-soft">
                    {[n.due && `due ${day(n.due)}`, n.by && `by ${n.by}`, moment(n.at)].filter(Boolean).join(" · ")}
                  </span>
                </span>
                {!n.lasting && (
                  <button
                    type="button"
                    className="act self-start"
                    aria-label={`Dismiss: ${kinds[n.kind]}, ${n.title}`}
                    disabled={putAway.isPending}
                    onClick={() => putAway.mutate(n.key)}
                  >
                    Dismiss
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </Answered>
  );
}

const modes = [
  { value: "off", label: "never" },
  { value: "at-once", label: "at once" },
  { value: "daily", label: "once a day" },
];

function Mailing() {
  const mailing = useQuery({ queryKey: sourceKey("mailing"), queryFn: () => take(api.GET("/me/mailing")) });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">By mail</h2>
      <Answered of={[mailing]} what="your mail settings" none={null}>
        {(now) => <MailingForm key={`${now.mail} ${now.mode}`} now={now} />}
      </Answered>
    </section>
  );
}

function MailingForm({ now }: { now: Schemas["MailingView"] }) {
  const queries = useQueryClient();
  const [mail, setMail] = useState(now.mail);
  const [mode, setMode] = useState<string>(now.mode);
  const save = useMutation({
    mutationFn: () => take(api.PUT("/me/mailing", { body: { mail, mode: mode as Schemas["Mailing"]["mode"] } })),
    onSuccess: () => outdated(queries, "mailing"),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  if (!now.available)
    return <p className="py-2 text-soft">This service sends no mail. An administrator can set up a mail server.</p>;
  return (
    <form onSubmit={submit} className="mt-2 grid items-end gap-x-6 gap-y-3 md:grid-cols-[20rem_10rem_auto]">
      <TextField label="Mail address" value={mail} onChange={setMail} />
      <SelectField label="Send mail" value={mode} onChange={setMode} options={modes} />
      <button
        type="submit"
        className="main-act justify-self-start"
        disabled={save.isPending || (mail === now.mail && mode === now.mode)}
      >
        Save
      </button>
      <Refused error={save.error} className="col-span-full" />
      {save.isSuccess && (
        <p role="status" className="col-span-full text-soft">
          Saved.
        </p>
      )}
    </form>
  );
}
