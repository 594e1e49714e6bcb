import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { answer, api } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { FigureForm, type FigureOf } from "./FigureForm";

/** A value that the game works out, for every entry that has it. */
export function Derived({ of }: { of: FigureOf }) {
  const [name, setName] = useState("price");
  const [amount, setAmount] = useState("");
  const [asked, setAsked] = useState<{ name: string; amount: string } | null>(null);
  const found = useQuery({
    queryKey: ["figures", "derived", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/derived", {
          params: { path: { server_id: of.serverId }, query: { name: asked?.name ?? "", amount: asked?.amount ? asked.amount : null, change: of.changeId ?? null } },
        }),
      ),
    enabled: asked !== null,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked({ name: name.trim(), amount: amount.trim() }); }}>
        <TextField required label="Value that the gamebook derives" value={name} onChange={(event) => { setName(event.target.value); }} sx={{ width: 260 }} />
        <TextField label="Amount in stock" type="number" value={amount} onChange={(event) => { setAmount(event.target.value); }} sx={{ width: 200 }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && (
        <Rows
          heads={["Entry", asked?.name ?? "", "Taken from", "At the low end", "At the high end", asked?.amount ? `At ${asked.amount}` : ""]}
          rows={found.data.map((one) => [
            <Mono key="a">{one.address}</Mono>,
            one.fault ? <KindMark key="f" kind="error" /> : String(one.value ?? ""),
            one.fault || (one.source.startsWith(one.address) ? "" : <Mono key="s">{one.source}</Mono>),
            one.low ? `${String(one.low[1])} up to ${String(one.low[0])}` : "",
            one.high ? `${String(one.high[1])} from ${String(one.high[0])}` : "",
            one.at_amount === null ? "" : String(Math.round(one.at_amount * 1000) / 1000),
          ])}
        />
      )}
    </>
  );
}

/** The next free number in each family of ids. */
export function FreeNumbers({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [asked, setAsked] = useState<string[]>([]);
  const found = useQuery({
    queryKey: ["figures", "numbers", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/free-numbers", {
          params: { path: { server_id: of.serverId }, query: { address: asked, change: of.changeId ?? null } },
        }),
      ),
    enabled: asked.length > 0,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked(address.split(/\s+/).filter(Boolean)); }}>
        <TextField required label="Addresses of the ids (several form one set)" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 480 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && (
        <Rows
          heads={["Family", "Taken", "Next", "Lowest gap"]}
          rows={found.data.map((one) => [<Mono key="f">{one.family}</Mono>, String(one.taken), <Mono key="n">{one.following}</Mono>, one.gap || "none"])}
        />
      )}
    </>
  );
}

/** How far entries lie from a centre. */
export function Distances({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [axes, setAxes] = useState("x,z");
  const [centre, setCentre] = useState("0,0");
  const [radius, setRadius] = useState("");
  const [asked, setAsked] = useState<{ address: string; axes: string[]; centre: string[]; radius: string | null } | null>(null);
  const found = useQuery({
    queryKey: ["figures", "distances", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/distances", {
          params: { path: { server_id: of.serverId }, query: { ...(asked ?? { address: "", axes: [], centre: [], radius: null }), change: of.changeId ?? null } },
        }),
      ),
    enabled: asked !== null,
  });
  const parts = (text: string) => text.split(",").map((part) => part.trim());
  return (
    <>
      <FigureForm onSubmit={() => { setAsked({ address: address.trim(), axes: parts(axes), centre: parts(centre), radius: radius.trim() || null }); }}>
        <TextField required label="Address of the entries" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 340 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
        <TextField required label="Axes" value={axes} onChange={(event) => { setAxes(event.target.value); }} sx={{ width: 110 }} />
        <TextField required label="Centre" value={centre} onChange={(event) => { setCentre(event.target.value); }} sx={{ width: 130 }} />
        <TextField label="Radius" type="number" value={radius} onChange={(event) => { setRadius(event.target.value); }} sx={{ width: 110 }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && (
        <Rows
          heads={["Entry", "At", "Distance", ""]}
          rows={found.data.map((one) => [
            <Mono key="a">{one.address}</Mono>,
            one.point.join(", "),
            one.fault || (one.distance ?? ""),
            one.is_inside === null ? "" : <KindMark key="i" kind={one.is_inside ? "within" : "outside"} />,
          ])}
        />
      )}
    </>
  );
}

function Rows({ heads, rows }: { heads: readonly string[]; rows: readonly ReactNode[][] }) {
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <Table>
        <TableHead>
          <TableRow>{heads.map((head, index) => <TableCell key={index}>{head}</TableCell>)}</TableRow>
        </TableHead>
        <TableBody>
          {rows.map((cells, row) => (
            <TableRow key={row}>{cells.map((cell, index) => <TableCell key={index}>{cell}</TableCell>)}</TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}
