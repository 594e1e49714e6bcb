import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { FigureForm, type FigureOf } from "./FigureForm";
import { nowAndBefore, Rows } from "./Rows";

/** A value as the client gives it, which takes pairs for lists. */
type Value = Omit<Schemas["DerivedOut"], "low" | "high"> & { low: number[] | null; high: number[] | null };

const parts = (text: string) => text.split(",").map((part) => part.trim()).filter(Boolean);

/** Values that the game works out; several beside each other, by thing and place. */
export function DerivedFigure({ of }: { of: FigureOf }) {
  const [names, setNames] = useState("price");
  const [amounts, setAmounts] = useState("");
  const [asked, setAsked] = useState<{ name: string[]; amount: string[] } | null>(null);
  const found = useQuery({
    queryKey: ["figures", "derived", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/derived", {
          params: { path: { server_id: of.serverId }, query: { name: asked?.name ?? [], amount: asked?.amount ?? [], change: of.changeId ?? null } },
        }),
      ),
    enabled: asked !== null,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked({ name: parts(names), amount: parts(amounts) }); }}>
        <TextField required label="Values that the gamebook derives" placeholder="cost, worth" value={names} onChange={(event) => { setNames(event.target.value); }} sx={{ width: 280 }} />
        <TextField label="Amounts in stock" placeholder="0, 10, 50" value={amounts} onChange={(event) => { setAmounts(event.target.value); }} sx={{ width: 180 }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && asked && <Derived names={asked.name} amounts={asked.amount} values={found.data} />}
    </>
  );
}

function Derived({ names, amounts, values }: { names: readonly string[]; amounts: readonly string[]; values: readonly Value[] }) {
  const rules = [...new Map(values.map((one) => [one.name, one])).values()];
  return (
    <>
      {names.length === 1 ? <OneValue name={names[0] ?? ""} amounts={amounts} values={values} /> : <SeveralValues names={names} amounts={amounts} values={values} />}
      <Box sx={{ mt: 1 }}>
        {rules.map((one) => <Typography key={one.name} variant="body2" color="text.secondary">{one.name}: <Mono>{one.rule}</Mono> (line {one.line} of the gamebook)</Typography>)}
        <Typography variant="body2" color="text.secondary">What a value was before is in brackets.</Typography>
      </Box>
    </>
  );
}

function OneValue({ name, amounts, values }: { name: string; amounts: readonly string[]; values: readonly Value[] }) {
  return (
    <Rows
      heads={["Entry", name, "Taken from", "At the low end", "At the high end", ...amounts.map((amount) => `At ${amount}`)]}
      rows={values.map((one) => [
        <Mono key="a">{one.address}</Mono>,
        one.fault ? "" : nowAndBefore(one.value, one.before) || "with an amount only",
        one.fault ? <Typography key="f" variant="body2" color="error">{one.fault}</Typography> : one.source.startsWith(one.address) ? "" : <Mono key="s">{one.source}</Mono>,
        one.low ? `${String(one.low[1])} up to ${String(one.low[0])}` : "",
        one.high ? `${String(one.high[1])} from ${String(one.high[0])}` : "",
        ...one.amounts.map((at) => nowAndBefore(at.value, at.before)),
      ])}
      right={[1, ...amounts.map((_, index) => 5 + index)]}
    />
  );
}

function SeveralValues({ names, amounts, values }: { names: readonly string[]; amounts: readonly string[]; values: readonly Value[] }) {
  const lines = new Map<string, { place: string; thing: string; values: Map<string, Value> }>();
  for (const one of values) {
    const key = JSON.stringify([one.place, one.thing]);
    const line = lines.get(key) ?? { place: one.place, thing: one.thing, values: new Map<string, Value>() };
    line.values.set(one.name, one);
    lines.set(key, line);
  }
  const heads = names.flatMap((name) => (amounts.length > 0 ? amounts.map((amount) => `${name} at ${amount}`) : [name]));
  const cells = (value: Value | undefined): string[] => {
    if (amounts.length === 0) return [value === undefined ? "" : value.fault || nowAndBefore(value.value, value.before)];
    return amounts.map((_, index) => {
      const at = value?.amounts[index];
      return value?.fault ? (index === 0 ? value.fault : "") : at ? nowAndBefore(at.value, at.before) : "";
    });
  };
  return (
    <Rows
      heads={["Place", "Thing", ...heads]}
      rows={[...lines.values()].map((line) => [line.place, line.thing, ...names.flatMap((name) => cells(line.values.get(name)))])}
      right={heads.map((_, index) => 2 + index)}
    />
  );
}
