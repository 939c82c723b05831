import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { Failure, Loading } from "../../components/States";
import { Control } from "./Control";
import { rigFields } from "./fields";
import { Form, Rearrange } from "./Form";
import { Facts } from "./Page";
import { useRigs } from "../../lists";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { Among } from "../team/Around";
import { failed } from "../../failed";

export default function RigPage() {
  const { rig = "" } = useParams();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const may = useMay();
  const [editing, setEditing] = useState(false);
  const one = useQuery({
    queryKey: sourceKey("rigs", rig),
    queryFn: () => takeWhole(api.GET("/rigs/{rig}", { params: { path: { rig } } })),
  });
  const all = useRigs();
  const edit = useMutation({
    mutationFn: (body: Schemas["Rig"]) =>
      take(
        api.PUT("/rigs/{rig}", { params: { path: { rig: body.key }, header: { "If-Match": one.data!.etag } }, body }),
      ),
    onSuccess: () => (void outdated(queries, "rigs"), setEditing(false)),
  });
  const key = one.data?.data.key;
  useEffect(() => {
    if (key && key !== rig) navigate(`/rigs/${key}`, { replace: true });
  }, [key, navigate, rig]);
  const r = one.data?.data;
  const later = all.data?.find((x) => x.replaces === r?.key);
  return (
    <Among title={r?.name || rig}>
      <p className="text-[13px]">
        <Link className="act" to="/rigs">
          Rigs
        </Link>{" "}
        ›
      </p>
      {failed(one) ? (
        <Failure error={one.error} />
      ) : !r ? (
        <Loading what="the rig" />
      ) : (
        <>
          <h1>{r.name || r.key}</h1>
          {r.retired && <p className="text-accent">Retired: kept in the catalogue, no longer offered.</p>}
          <Facts
            of={[
              ["Key", r.key],
              ["Class", [r.class, r.virtual && "virtual"].filter(Boolean).join(", ")],
              ["Processor", [r.cpu, r.cores && `${r.cores} cores`].filter(Boolean).join(", ")],
              ["Memory", r.memoryMiB && `${r.memoryMiB} MiB`],
              ["Graphics", r.graphics],
              ["Storage", r.storage],
              ["Equipment", r.equipment?.join(", ")],
              ["Weight", r.weight ?? 1],
              [
                "Was, before it changed",
                r.replaces && (
                  <Link className="act" to={`/rigs/${r.replaces}`}>
                    {r.replaces}
                  </Link>
                ),
              ],
              [
                "Changed into",
                later && (
                  <Link className="act" to={`/rigs/${later.key}`}>
                    {later.name || later.key}
                  </Link>
                ),
              ],
            ]}
          />
          {may("edit-catalogue") &&
            (editing ? (
              <>
                <p className="text-[13px] text-soft">
                  The specification is fixed once readings were taken on the rig. A changed machine is a new rig that
                  names this one.
                </p>
                <Form
                  fields={rigFields}
                  value={r}
                  act="Save the changes"
                  pending={edit.isPending}
                  error={edit.error}
                  onSave={(v, saved) => edit.mutate(v, { onSuccess: saved })}
                  onLeave={() => setEditing(false)}
                />
              </>
            ) : (
              <button type="button" className="act" onClick={() => setEditing(true)}>
                Edit
              </button>
            ))}
          <Control rig={r.key} />
          <Rearrange sort="rig" thing={r.key} onMoved={(to) => navigate(`/rigs/${to}`)} />
        </>
      )}
    </Among>
  );
}
