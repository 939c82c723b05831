import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api";
import { TextField } from "../../components/Fields";
import { Empty, Failure, Loading } from "../../components/States";
import { rigFields } from "./fields";
import { Form } from "./Form";
import { Sideways } from "../../components/Sideways";
import { Among } from "../team/Around";
import { useRigs } from "../../lists";
import { outdated } from "../../keys";
import { useMay } from "../../session";
import { failed } from "../../failed";

export default function RigsPage() {
  const queries = useQueryClient();
  const may = useMay();
  const rigs = useRigs();
  const [adding, setAdding] = useState(false);
  const [key, setKey] = useState("");
  const add = useMutation({
    mutationFn: (body: Schemas["Rig"]) => take(api.POST("/rigs", { body: { ...body, key } })),
    onSuccess: () => (void outdated(queries, "rigs"), setAdding(false)),
  });
  return (
    <Among title="Rigs">
      <h1>Rigs</h1>
      <p className="mt-1 text-[13px] text-soft">
        Test machines in alphabetical order (not a ranking). Measured values compare only on the same rig.
      </p>
      {rigs.isPending ? (
        <Loading what="the rigs" />
      ) : failed(rigs) ? (
        <Failure error={rigs.error} again={() => rigs.refetch()} />
      ) : rigs.data.length === 0 ? (
        <Empty>There are no rigs yet.</Empty>
      ) : (
        <Sideways label="Rigs">
          <table className="ledger">
            <thead>
              <tr>
                <th className="stay margin">Rig</th>
                <th>Class</th>
                <th>Processor</th>
                <th className="num">Memory, MiB</th>
                <th>Graphics</th>
                <th>Storage</th>
                <th>Equipment</th>
                <th className="num">Weight</th>
              </tr>
            </thead>
            <tbody>
              {rigs.data.map((r) => (
                <tr key={r.key} className={r.retired ? "text-soft" : ""}>
                  <th scope="row" className="stay margin">
                    <Link className="act" to={`/rigs/${r.key}`}>
                      {r.name || r.key}
                    </Link>
                    {r.retired && " retired"}
                  </th>
                  <td>{[r.class, r.virtual && r.class !== "virtual" && "virtual"].filter(Boolean).join(", ")}</td>
                  <td className="min-w-[10rem]">{[r.cpu, r.cores && `${r.cores} cores`].filter(Boolean).join(", ")}</td>
                  <td className="num">{r.memoryMiB || ""}</td>
                  <td>{r.graphics}</td>
                  <td>{r.storage}</td>
                  <td>{r.equipment?.join(", ")}</td>
                  <td className="num">{r.weight ?? 1}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Sideways>
      )}
      {may("edit-catalogue") &&
        (adding ? (
          <Form
            fields={rigFields}
            value={{ key: "" } as Schemas["Rig"]}
            act="Add the rig"
            pending={add.isPending}
            error={add.error}
            onSave={(v, saved) => add.mutate(v, { onSuccess: saved })}
            onLeave={() => setAdding(false)}
          >
            <TextField label="Key" hint="such as bench-old" value={key} onChange={setKey} />
          </Form>
        ) : (
          <button type="button" className="act mt-4" onClick={() => setAdding(true)}>
            Add a rig
          </button>
        ))}
    </Among>
  );
}
