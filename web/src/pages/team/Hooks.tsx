import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, take, type Schemas } from "../../api";
import { changeSorts } from "../../changeSorts";
import { Answered } from "../../components/Answered";
import { Asked } from "../../components/Asked";
import { TextField } from "../../components/Fields";
import { Sideways } from "../../components/Sideways";
import { Empty, Refused } from "../../components/States";
import { useDraft } from "../../drafts";
import { outdated, sourceKey } from "../../keys";
import { moment } from "../../numbers";
import { useMay } from "../../session";
import { Around } from "./Around";

type Sort = Schemas["ChangeSort"];

/** Other programs that get changes. */
export default function HooksPage() {
  const may = useMay()("manage-hooks");
  return (
    <Around title="Web hooks">
      <h1>Web hooks</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        Each change is sent to these addresses as a CloudEvent in JSON: what changed, who changed it and when, never a
        value. It is signed with HMAC-SHA-256, and sent again if the address does not answer.
      </p>
      {may ? <List /> : <Empty>Only a lead or an administrator can set up web hooks.</Empty>}
    </Around>
  );
}

function List() {
  const hooks = useQuery({ queryKey: sourceKey("hooks"), queryFn: () => take(api.GET("/hooks")).then((l) => l.hooks) });
  return (
    <Answered of={[hooks]} what="web hooks" none={null}>
      {(all) => (
        <>
          {all.length === 0 && <Empty>There are no web hooks.</Empty>}
          {all.map((h) => (
            <One key={h.id} hook={h} />
          ))}
          <Add />
        </>
      )}
    </Answered>
  );
}

function One({ hook }: { hook: Schemas["Hook"] }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [dropping, setDropping] = useState(false);
  const settled = () => outdated(queries, "hooks");
  const set = useMutation({
    mutationFn: (active: boolean) =>
      take(api.PUT("/hooks/{id}", { params: { path: { id: hook.id } }, body: { sorts: hook.sorts, active } })),
    onSettled: settled,
  });
  const drop = useMutation({
    mutationFn: () => take(api.DELETE("/hooks/{id}", { params: { path: { id: hook.id } } })),
    onSettled: settled,
  });
  return (
    <section className="mt-5 border-l border-accent pl-4">
      <h2 className="text-[16px]!">{hook.url}</h2>
      <p className="text-[13px] text-soft">
        {hook.sorts.length ? hook.sorts.join(", ") : "all changes"} · since {moment(hook.created)} ·{" "}
        {hook.active ? "on" : "off"}
      </p>
      <p className="flex flex-wrap gap-5">
        <button type="button" className="act" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Close" : "Deliveries"}
        </button>
        <button type="button" className="act" disabled={set.isPending} onClick={() => set.mutate(!hook.active)}>
          {hook.active ? "Turn off" : "Turn on"}
        </button>
        <button type="button" className="act" onClick={() => setDropping(true)}>
          Delete
        </button>
      </p>
      <Refused error={set.error ?? drop.error} className="mt-1" />
      {open && <Deliveries hook={hook.id} />}
      <Asked
        open={dropping}
        onOpen={setDropping}
        title="Delete this web hook?"
        act="Delete"
        onYes={() => {
          setDropping(false);
          drop.mutate();
        }}
      >
        <p>{hook.url} receives nothing more, and its list of deliveries is deleted.</p>
      </Asked>
    </section>
  );
}

function Deliveries({ hook }: { hook: string }) {
  const queries = useQueryClient();
  const sent = useQuery({
    queryKey: sourceKey("deliveries", hook),
    refetchInterval: 5000,
    queryFn: () =>
      take(api.GET("/hooks/{id}/deliveries", { params: { path: { id: hook } } })).then((l) => l.deliveries),
  });
  const again = useMutation({
    mutationFn: (id: string) => take(api.POST("/deliveries/{id}", { params: { path: { id } } })),
    onSettled: () => outdated(queries, "deliveries"),
  });
  return (
    <Answered of={[sent]} what="the deliveries" none={null}>
      {(all) =>
        all.length === 0 ? (
          <p className="py-2 text-soft">No deliveries yet.</p>
        ) : (
          <Sideways label="Deliveries">
            <Refused error={again.error} />
            <table className="ledger mt-2 text-[13px]">
              <thead>
                <tr>
                  <th className="num margin">Change</th>
                  <th>Event</th>
                  <th>When</th>
                  <th>Result</th>
                  <th className="num">Attempts</th>
                  <th>
                    <span className="sr-only">Action</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {all.map((d) => (
                  <tr key={d.id}>
                    <td className="num margin">{d.change}</td>
                    <td>{d.type}</td>
                    <td className="whitespace-nowrap">{moment(d.created)}</td>
                    <td className={d.state === "arrived" ? "" : "text-accent"}>
                      {d.state === "arrived" ? `delivered, ${d.status}` : d.state === "waiting" ? "waits" : "failed"}
                      {d.said && `: ${d.said}`}
                      {d.state === "waiting" && d.next && d.tries > 0 && `; next attempt ${moment(d.next)}`}
                    </td>
                    <td className="num">{d.tries}</td>
                    <td>
                      <button
                        type="button"
                        className="act"
                        aria-label={`Send change ${d.change} again`}
                        disabled={again.isPending}
                        onClick={() => again.mutate(d.id)}
                      >
                        Send again
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Sideways>
        )
      }
    </Answered>
  );
}

function Add() {
  const queries = useQueryClient();
  const [url, setURL, added] = useDraft("web hook", "");
  const [chosen, setChosen] = useState<Sort[]>([]);
  const add = useMutation({
    mutationFn: () => take(api.POST("/hooks", { body: { url, sorts: chosen } })),
    onSuccess: () => {
      added();
      setChosen([]);
      void outdated(queries, "hooks");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Add a web hook</h2>
      <form onSubmit={submit} className="mt-2 grid gap-3">
        <TextField label="Address" hint="such as https://example.org/changes" value={url} onChange={setURL} />
        <fieldset>
          <legend className="text-[13px] text-soft">
            {chosen.length ? "Only changes of" : "All changes; choose some to send only these"}
          </legend>
          {changeSorts.map((s) => (
            <label key={s} className="mr-5 inline-flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked={chosen.includes(s)}
                onChange={() => setChosen(chosen.includes(s) ? chosen.filter((x) => x !== s) : [...chosen, s])}
              />
              {s}
            </label>
          ))}
        </fieldset>
        <button type="submit" className="main-act justify-self-start" disabled={add.isPending || !url.trim()}>
          Add
        </button>
      </form>
      <Refused error={add.error} className="mt-2" />
      {add.data?.secret && (
        <p role="status" className="mt-3">
          The secret that signs deliveries, shown only once:{" "}
          <code className="bg-chosen px-1 break-all">{add.data.secret}</code>
        </p>
      )}
    </section>
  );
}
