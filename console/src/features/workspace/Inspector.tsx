import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api, ApiProblem, EMPTY_STEP, type Schemas } from "../../api/client";
import { effectWord } from "../../shared/effects";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { NoteList } from "../../shared/NoteList";
import { percent } from "../../shared/percent";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { AbsentSettings } from "./AbsentSettings";
import { addressLink, fileLink, partsOf } from "./links";
import { RulesOfPlace } from "./RulesOfPlace";
import { ValuePlot } from "./ValuePlot";
import type { ChosenChange } from "./useChosenChange";
import type { Edits } from "./useEdits";

interface Props {
  serverId: string;
  /** `PATH#NODE` of the selected place; the path alone, or nothing, where none is selected. */
  address: string;
  change: ChosenChange;
  edits: Edits;
}

/** All that is known of the selected entry or field, with the actions that fit. */
export function Inspector({ serverId, address, change, edits }: Props) {
  const isPlace = address.includes("#");
  const about = useQuery({
    queryKey: ["about", serverId, address, change.id],
    queryFn: () =>
      answer(api.GET("/api/v1/servers/{server_id}/about", { params: { path: { server_id: serverId }, query: { address, change: change.id ?? null } } })),
    enabled: isPlace,
    retry: false,
  });
  return (
    <Box component="section" aria-label="Inspector" sx={{ height: "100%", overflow: "auto", p: 1.5, fontSize: 13 }}>
      {!isPlace && <Typography variant="body2" color="text.secondary">Select a cell, or a place in the text. Here you see what it may hold, its default, what it is linked with, and who changed it when.</Typography>}
      {isPlace && about.isPending && <Loading />}
      {isPlace && about.error && (about.error instanceof ApiProblem && about.error.status === 404 ? <Typography variant="body2" color="text.secondary">{about.error.message}</Typography> : <ProblemNote error={about.error} />)}
      {isPlace && about.data && <Known serverId={serverId} about={about.data} change={change} edits={edits} />}
    </Box>
  );
}

function Known({ serverId, about, change, edits }: { serverId: string; about: Schemas["AboutOut"]; change: ChosenChange; edits: Edits }) {
  const { shown } = about;
  const [path, node] = partsOf(shown.address);
  const canReset = shown.value !== null && shown.default !== null && shown.default !== shown.value;
  const set = (value: string) => {
    void edits.add([{ ...EMPTY_STEP, kind: "set", address: shown.address, operation: `=${value}` }], `Edit ${path}`).catch(() => undefined);
  };
  return (
    <>
      <Box sx={{ mb: 1 }}>
        <Typography component="h2" sx={{ fontSize: 13.5, fontWeight: 650, overflowWrap: "anywhere" }}><Mono>{node}</Mono></Typography>
        <Link component={RouterLink} variant="body2" to={fileLink(serverId, path, { view: "text", line: shown.line, address: node, change: change.id })}>
          <Mono>{path}</Mono>, line {shown.line}
        </Link>
      </Box>
      {shown.findings.map((finding) => (
        <Box key={finding.code + finding.message} sx={{ mb: 1, fontSize: 12.5 }}><KindMark kind={finding.severity} /> {finding.message} <strong>{finding.hint}</strong></Box>
      ))}
      <Fact name="Value">{shown.value === null ? <Source text={shown.source} /> : <Mono>{shown.value}</Mono>}</Fact>
      {shown.value !== null && <NewValue key={`${shown.address} ${shown.value}`} value={shown.value} isBusy={edits.isBusy} onSet={set} />}
      {shown.default !== null && (
        <Fact name="Default">
          {shown.default === shown.value ? "the same" : <Mono>{shown.default}</Mono>}
          {canReset && <Button size="small" sx={{ ml: 1, py: 0 }} disabled={edits.isBusy} onClick={() => { set(shown.default ?? ""); }}>Reset to default</Button>}
        </Fact>
      )}
      <Fact name="Where it is absent, the game takes">{about.default_of_game && <Mono>{about.default_of_game}</Mono>}</Fact>
      <Fact name="Allowed">{shown.allowed}</Fact>
      <Fact name="What it is">{[shown.note, shown.comment].filter(Boolean).join(" · ")}</Fact>
      <Fact name="Takes effect">{effectWord(about.takes_effect)}</Fact>
      <Odds serverId={serverId} odds={about.odds} />
      {shown.absent.length > 0 && (
        <Box component="section" aria-label="Known settings that are not here" sx={{ mb: 1.25 }}>
          <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>Known settings that are not here</Box>
          <AbsentSettings absent={shown.absent} path={path} edits={edits} />
        </Box>
      )}
      <RulesOfPlace key={shown.address} serverId={serverId} about={about} />
      <Box component="section" aria-label="Notes" sx={{ mb: 1.25 }}>
        <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>Notes</Box>
        <NoteList
          key={shown.address}
          notes={about.notes}
          label="Why it is so"
          button="Note"
          canKeep
          onWrite={(text) => answer(api.POST("/api/v1/servers/{server_id}/notes", { params: { path: { server_id: serverId } }, body: { address: shown.address, text } }))}
        />
      </Box>
      <References title="Refers to" serverId={serverId} references={about.refers_to} change={change.id} />
      <References title="Referred to by" serverId={serverId} references={about.referred_by} change={change.id} />
      <History past={about.history} />
    </>
  );
}

/** One value, changed without the table: on a phone, or while reading the text. */
function NewValue({ value, isBusy, onSet }: { value: string; isBusy: boolean; onSet: (value: string) => void }) {
  const [typed, setTyped] = useState(value);
  return (
    <Box component="form" onSubmit={(event) => { event.preventDefault(); onSet(typed); }} sx={{ display: "flex", gap: 0.75, mb: 1 }}>
      <TextField label="New value" value={typed} onChange={(event) => { setTyped(event.target.value); }} sx={{ flex: 1, minWidth: 0 }} />
      <Button type="submit" variant="outlined" disabled={isBusy || typed === value}>Set</Button>
    </Box>
  );
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  if (children === "" || children === null) return null;
  return (
    <Box sx={{ mb: 1 }}>
      <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>{name}</Box>
      <Box sx={{ overflowWrap: "anywhere" }}>{children}</Box>
    </Box>
  );
}

const MOST_LINES = 12;

function Source({ text }: { text: string }) {
  const lines = text.split("\n");
  const shown = lines.slice(0, MOST_LINES).join("\n");
  return (
    <Box tabIndex={0} role="group" aria-label="Its text" sx={{ whiteSpace: "pre", overflowX: "auto", fontSize: 12 }}>
      <Mono>{shown}</Mono>
      {lines.length > MOST_LINES && <Box sx={{ color: "text.secondary" }}>and {lines.length - MOST_LINES} more lines</Box>}
    </Box>
  );
}

const MOST = 12;

function References({ title, serverId, references, change }: { title: string; serverId: string; references: readonly Schemas["ReferenceOut"][]; change: number | undefined }) {
  if (references.length === 0) return null;
  return (
    <Box sx={{ mb: 1.25 }}>
      <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>{title}</Box>
      {references.slice(0, MOST).map((reference) => (
        <Box key={reference.address} sx={{ mb: 0.25 }}>
          <Link component={RouterLink} to={addressLink(serverId, reference.address, { change, line: reference.line })}><Mono>{reference.address}</Mono></Link>
          <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>line {reference.line}; {reference.what}</Box>
        </Box>
      ))}
      {references.length > MOST && <Box sx={{ color: "text.secondary" }}>and {references.length - MOST} others</Box>}
    </Box>
  );
}

/** How often draws bring the thing that the place is, or draws; of a table, what it brings. */
function Odds({ serverId, odds }: { serverId: string; odds: readonly Schemas["PlaceOddsOut"][] }) {
  if (odds.length === 0) return null;
  return (
    <Box component="section" aria-label="Odds" sx={{ mb: 1.25 }}>
      <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>
        Odds, at least one per draw (<Link component={RouterLink} to={`/servers/${serverId}/figures`}>all odds</Link>)
      </Box>
      <Box component="table" sx={{ borderSpacing: 0, width: "100%", fontSize: 12.5, "& td": { py: 0.125, verticalAlign: "baseline" } }}>
        <tbody>
          {odds.map((one) => (
            <tr key={`${one.table} ${one.thing}`}>
              <td>{one.thing} <Box component="span" sx={{ color: "text.secondary" }}>from {one.table}</Box></td>
              <Box component="td" sx={{ textAlign: "right", whiteSpace: "nowrap", pl: 1 }} title={`${one.expected.toPrecision(3)} on average`}>
                {one.before !== null && <Box component="span" sx={{ color: "text.secondary" }}>{percent(one.before)} → </Box>}{percent(one.chance)}
              </Box>
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

function History({ past }: { past: readonly Schemas["PastOut"][] }) {
  if (past.length === 0) return null;
  return (
    <Box>
      <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>Values so far, the newest first</Box>
      <ValuePlot past={past} />
      {past.map((one) => (
        <Box key={one.snapshot} sx={{ mb: 0.75 }}>
          <Mono>{one.value ?? "absent"}</Mono>
          <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>
            {when(one.at)}; {one.person && `${one.person}, `}
            {one.change === null ? one.reason : <Link component={RouterLink} to={`/changes/${String(one.change)}`}>change {one.change}: {one.reason}</Link>}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
