import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { FigureForm, type FigureOf } from "./FigureForm";
import { Rows } from "./Rows";

interface Asked {
  address: string;
  axes: string[];
  centre: string[];
  to: string;
  radius: string | null;
  box: string[];
  height: string;
  floors: string[];
  facing: string;
  zero: Direction;
  turns: Turns;
}
type Direction = "+x" | "-x" | "+z" | "-z";
type Turns = "right" | "left";

const NOTHING: Asked = { address: "", axes: [], centre: [], to: "", radius: null, box: [], height: "", floors: [], facing: "", zero: "+z", turns: "right" };

const MOST_POINTS = 2000; // that are drawn
const MONOSPACE = { htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } };
const parts = (text: string) => text.split(",").map((part) => part.trim()).filter(Boolean);

/** How far entries lie from a centre or from others, as a list and as points on a plane. */
export function DistancesFigure({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [axes, setAxes] = useState("x,z");
  const [from, setFrom] = useState<"centre" | "others">("centre");
  const [centre, setCentre] = useState("0,0");
  const [to, setTo] = useState("");
  const [radius, setRadius] = useState("");
  const [box, setBox] = useState("");
  const [height, setHeight] = useState("");
  const [floors, setFloors] = useState("");
  const [facing, setFacing] = useState("");
  const [zero, setZero] = useState<Direction>("+z");
  const [turns, setTurns] = useState<Turns>("right");
  const [asked, setAsked] = useState<Asked | null>(null);
  const found = useQuery({
    queryKey: ["figures", "distances", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/distances", {
          params: { path: { server_id: of.serverId }, query: { ...(asked ?? NOTHING), change: of.changeId ?? null } },
        }),
      ),
    enabled: asked !== null,
  });
  const submit = () => {
    const isCentre = from === "centre";
    setAsked({ address: address.trim(), axes: parts(axes), centre: isCentre ? parts(centre) : [], to: isCentre ? "" : to.trim(), radius: radius.trim() || null, box: parts(box), height: height.trim(), floors: parts(floors), facing: facing.trim(), zero, turns });
  };
  return (
    <>
      <FigureForm onSubmit={submit}>
        <TextField required label="Address of the entries" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 300 }} slotProps={MONOSPACE} />
        <TextField required label="Axes" value={axes} onChange={(event) => { setAxes(event.target.value); }} sx={{ width: 110 }} />
        <TextField select label="Measure" value={from} onChange={(event) => { setFrom(event.target.value as "centre" | "others"); }} sx={{ width: 150 }}>
          <MenuItem value="centre">from a centre</MenuItem>
          <MenuItem value="others">to the nearest of</MenuItem>
        </TextField>
        {from === "centre" ? (
          <TextField required label="Centre" value={centre} onChange={(event) => { setCentre(event.target.value); }} sx={{ width: 130 }} />
        ) : (
          <TextField required label="Address of the others" value={to} onChange={(event) => { setTo(event.target.value); }} sx={{ width: 260 }} slotProps={MONOSPACE} />
        )}
        <TextField label="Radius" type="number" value={radius} onChange={(event) => { setRadius(event.target.value); }} sx={{ width: 100 }} />
        <TextField label="Box (two corners)" placeholder="x,z,x,z" value={box} onChange={(event) => { setBox(event.target.value); }} sx={{ width: 150 }} />
        <TextField label="Height" placeholder="y" value={height} onChange={(event) => { setHeight(event.target.value); }} sx={{ width: 90 }} />
        <TextField label="Floors begin at" placeholder="0,3,6" value={floors} onChange={(event) => { setFloors(event.target.value); }} sx={{ width: 130 }} />
        <TextField label="Facing" placeholder="yaw" value={facing} onChange={(event) => { setFacing(event.target.value); }} sx={{ width: 100 }} />
        {facing.trim() && (
          <>
            <TextField select label="0 looks to" value={zero} onChange={(event) => { setZero(event.target.value as Direction); }} sx={{ width: 100 }}>
              {(["+x", "-x", "+z", "-z"] as const).map((one) => <MenuItem key={one} value={one}>{one}</MenuItem>)}
            </TextField>
            <TextField select label="More leads" value={turns} onChange={(event) => { setTurns(event.target.value as Turns); }} sx={{ width: 135 }}>
              <MenuItem value="right">to the right</MenuItem>
              <MenuItem value="left">to the left</MenuItem>
            </TextField>
          </>
        )}
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && asked && <Distances asked={asked} rows={found.data} />}
    </>
  );
}

function Distances({ asked, rows }: { asked: Asked; rows: readonly Schemas["DistanceOut"][] }) {
  const hasOthers = asked.to !== "";
  const [hasFloors, hasFacing] = [asked.floors.length > 0, asked.facing !== ""];
  return (
    <>
      {asked.axes.length > 1 && <Plane asked={asked} rows={rows} />}
      <Rows
        heads={["Entry", "At", "Distance", ...(hasOthers ? ["Nearest"] : []), ...(hasFloors ? ["Floor"] : []), ...(hasFacing ? ["Faces away by"] : []), ""]}
        rows={rows.map((one) => [
          <Mono key="a">{one.address}</Mono>,
          one.point.join(", "),
          one.fault || (one.distance ?? ""),
          ...(hasOthers ? [<Mono key="n">{one.nearest}</Mono>] : []),
          ...(hasFloors ? [floorOf(one.floor)] : []),
          ...(hasFacing ? [one.turned == null ? "" : `${one.turned}°`] : []),
          one.is_inside === null ? "" : <KindMark key="i" kind={one.is_inside ? "within" : "outside"} />,
        ])}
        right={[2]}
      />
    </>
  );
}

function floorOf(floor: number | null | undefined): string {
  return floor == null ? "" : floor === 0 ? "below all" : String(floor);
}

/** The ends of an axis, with a little room around the points. */
function around(numbers: readonly number[]): { min: number; max: number } {
  const [least, most] = [Math.min(...numbers), Math.max(...numbers)];
  const room = (most - least) / 20 || 1;
  return { min: least - room, max: most + room };
}

/** The points by their first and last axis. */
function Plane({ asked, rows }: { asked: Asked; rows: readonly Schemas["DistanceOut"][] }) {
  const placed = rows.filter((one) => one.point.length > 1).slice(0, MOST_POINTS);
  const points = (kept: typeof placed) => kept.map((one) => ({ id: one.address, x: Number(one.point[0]), y: Number(one.point.at(-1)) }));
  const nameOf = (address: string) => address.slice(address.lastIndexOf("/") + 1).split("#").at(-1) ?? address;
  const outside = placed.filter((one) => one.is_inside === false);
  const series = [
    { label: outside.length > 0 ? "within" : "entries", data: points(placed.filter((one) => one.is_inside !== false)), color: "var(--mui-palette-primary-main)" },
    { label: "outside", data: points(outside), color: "var(--mui-palette-error-main)" },
    { label: "centre", data: asked.centre.length > 1 ? [{ id: "centre", x: Number(asked.centre[0]), y: Number(asked.centre.at(-1)) }] : [], color: "var(--mui-palette-text-primary)" },
  ].filter((one) => one.data.length > 0);
  return (
    <Paper sx={{ p: 1, mb: 1 }} role="img" aria-label={`${String(placed.length)} points on the plane of ${asked.axes[0] ?? ""} and ${asked.axes.at(-1) ?? ""}`}>
      {rows.length > placed.length && <Typography variant="body2" color="text.secondary">{placed.length.toLocaleString()} of {rows.length.toLocaleString()} entries are drawn.</Typography>}
      <ScatterChart
        height={340}
        xAxis={[{ label: asked.axes[0] ?? "", ...around(series.flatMap((one) => one.data.map((point) => point.x))) }]}
        yAxis={[{ label: asked.axes.at(-1) ?? "", width: 60, ...around(series.flatMap((one) => one.data.map((point) => point.y))) }]}
        grid={{ horizontal: true, vertical: true }}
        series={series.map((one) => ({ ...one, markerSize: 4, valueFormatter: (point) => (point ? `${nameOf(String(point.id))}: ${String(point.x)}, ${String(point.y)}` : "") }))}
        skipAnimation
      />
    </Paper>
  );
}
