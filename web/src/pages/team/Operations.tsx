import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, take, type Schemas } from "../../api";
import { Sideways } from "../../components/Sideways";
import { Empty, Failure, Loading } from "../../components/States";
import { sourceKey } from "../../keys";
import { counted, moment } from "../../numbers";
import { useMay } from "../../session";
import { Around } from "./Around";
import { failed } from "../../failed";

type Overview = Schemas["OperationsOverview"];

/** How the service runs: instances, database, backups and slow requests. For administrators. */
export default function OperationsPage() {
  const may = useMay();
  return (
    <Around title="Operations">
      <h1>Operations</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">How the service runs. The page refreshes every ten seconds.</p>
      {may("see-operations") ? <Shown /> : <Empty>Only an administrator can see how the service runs.</Empty>}
    </Around>
  );
}

function Shown() {
  const overview = useQuery({
    queryKey: sourceKey("operations"),
    queryFn: () => take(api.GET("/operations")),
    refetchInterval: 10_000,
  });
  if (failed(overview)) return <Failure error={overview.error} again={() => void overview.refetch()} />;
  if (overview.isPending) return <Loading what="how the service runs" />;
  const o = overview.data;
  return (
    <>
      <Backups of={o} />
      <Instances of={o} />
      <Nodes of={o} />
      <SlowRequests of={o} />
    </>
  );
}

const day = 24 * 3600 * 1000;

function Backups({ of: o }: { of: Overview }) {
  const age = o.last_backup ? Math.floor((Date.now() - Date.parse(o.last_backup)) / day) : undefined;
  const most = o.backup_days;
  const late = most !== undefined && (age === undefined || age >= most);
  return (
    <Part title="Backups">
      <p className={late ? "text-accent" : ""}>
        {o.last_backup && age !== undefined
          ? `The newest backup is of ${moment(o.last_backup)} (${counted(age, "day")} old).`
          : "No backup is known."}
        {late && ` It should be at most ${counted(most, "day")} old.`}
      </p>
      {late && (
        <p className="mt-1">
          Make one on the server: <code>dtallyd backup --to FOLDER --keep 14</code>
        </p>
      )}
    </Part>
  );
}

function Instances({ of: o }: { of: Overview }) {
  const versions = new Set(o.instances.map((i) => i.version));
  return (
    <Part title="Instances">
      <p className="text-[13px] text-soft">
        Heard of in the last minute. The database has schema version {o.schema} and {o.change} changes.
        {versions.size > 1 && " Several versions are running: finish the upgrade."}
      </p>
      <Sideways label="Instances">
        <table className="ledger mt-2 text-[13px]">
          <thead>
            <tr>
              <th className="margin">Instance</th>
              <th>Version</th>
              <th className="num">Schema</th>
              <th>Started</th>
              <th className="num">Last report</th>
              <th className="num">Changes behind</th>
              <th className="num">Requests in a minute</th>
              <th className="num">Failed</th>
            </tr>
          </thead>
          <tbody>
            {o.instances.map((i) => (
              <tr key={`${i.address} ${i.started}`}>
                <td className="margin whitespace-nowrap">
                  {i.address}
                  {i.asked && <span className="block text-soft">shows this page</span>}
                </td>
                <td className="whitespace-nowrap">{i.version}</td>
                <td className="num">{i.schema}</td>
                <td className="whitespace-nowrap">{moment(i.started)}</td>
                <td className="num whitespace-nowrap">{i.asked ? "now" : `${Math.round(i.silent)} s ago`}</td>
                <td className={i.behind > 0 ? "num text-accent" : "num"}>{i.behind}</td>
                <td className="num">{i.requests}</td>
                <td className={i.failed > 0 ? "num text-accent" : "num"}>{i.failed}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </Part>
  );
}

function Nodes({ of: o }: { of: Overview }) {
  const cluster = o.nodes.some((n) => n.members);
  return (
    <Part title="Database">
      <Sideways label="Database servers">
        <table className="ledger mt-2 text-[13px]">
          <thead>
            <tr>
              <th className="margin">Server</th>
              <th>Version</th>
              <th>State</th>
              {cluster && <th className="num">Nodes in touch</th>}
              {cluster && <th className="num">Not yet applied</th>}
            </tr>
          </thead>
          <tbody>
            {o.nodes.map((n) => (
              <tr key={n.address}>
                <td className="margin whitespace-nowrap">{n.address}</td>
                <td className="whitespace-nowrap">{n.version ?? "–"}</td>
                <td className={n.problem ? "text-accent" : ""}>
                  {n.problem ?? (n.used ? "in use" : "ready")}
                  {n.problem && n.used && " (in use)"}
                </td>
                {cluster && <td className="num">{n.members ?? "–"}</td>}
                {cluster && <td className="num">{n.members ? (n.queue ?? 0) : "–"}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </Part>
  );
}

function SlowRequests({ of: o }: { of: Overview }) {
  return (
    <Part title="Slow requests">
      {o.slow.length === 0 ? (
        <p>No request took a second or longer since the instances started.</p>
      ) : (
        <Sideways label="Slow requests">
          <table className="ledger mt-2 text-[13px]">
            <thead>
              <tr>
                <th className="margin">When</th>
                <th>Request</th>
                <th className="num">Status</th>
                <th className="num">Took (s)</th>
                <th className="num">Database (s)</th>
                <th className="num">Statements</th>
                <th>Instance</th>
              </tr>
            </thead>
            <tbody>
              {o.slow.map((r) => (
                <tr key={r.request}>
                  <td className="margin whitespace-nowrap">{moment(r.at)}</td>
                  <td className="whitespace-nowrap" title={`Request ${r.request} in the log`}>
                    {r.method} {r.route}
                  </td>
                  <td className="num">{r.status}</td>
                  <td className="num">{r.took.toFixed(2)}</td>
                  <td className="num">{r.database.toFixed(2)}</td>
                  <td className="num">{r.statements}</td>
                  <td className="whitespace-nowrap">{r.instance}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Sideways>
      )}
    </Part>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-6">
      <h2>{title}</h2>
      {children}
    </section>
  );
}
