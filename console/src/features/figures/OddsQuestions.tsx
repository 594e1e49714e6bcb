import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { FigureForm, type FigureOf } from "./FigureForm";

type Question = "seen" | "weight" | "apart";

const QUESTIONS: Record<Question, string> = {
  seen: "It was seen so often: can that be?",
  weight: "Which weight gives a chance?",
  apart: "How many draws tell before from after?",
};
const COLOURS = { usual: "success", rare: "info", unlikely: "warning", impossible: "error" } as const;

/** Questions about one thing of a draw table. */
export function OddsQuestions({ of, odds }: { of: FigureOf; odds: Schemas["OddsOut"] }) {
  const things = odds.chances.map((one) => one.thing);
  const [question, setQuestion] = useState<Question>("seen");
  const [thing, setThing] = useState(things[0] ?? "");
  const [count, setCount] = useState("0");
  const [draws, setDraws] = useState("20");
  const [chance, setChance] = useState("5");
  const params = { path: { server_id: of.serverId } };
  const shared = { table: odds.table, thing, case: odds.case ?? "", change: of.changeId ?? null };
  const asking = useMutation({
    mutationFn: async (): Promise<Answer[]> => {
      if (question === "seen") {
        const query = { ...shared, count: Number(count), draws: Number(draws) };
        const found = await answer(api.GET("/api/v1/servers/{server_id}/figures/odds/seen", { params: { ...params, query } }));
        return found.map((one) => ({ words: one.words, colour: COLOURS[one.verdict] }));
      }
      if (question === "apart") {
        const found = await answer(api.GET("/api/v1/servers/{server_id}/figures/odds/apart", { params: { ...params, query: shared } }));
        return [{ words: found.words, colour: "info" }];
      }
      const query = { ...shared, chance: String(Number(chance) / 100) };
      const found = await answer(api.GET("/api/v1/servers/{server_id}/figures/odds/weight", { params: { ...params, query } }));
      return [{ words: found.words, colour: "info", address: found.address }];
    },
  });
  const number = (label: string, value: string, set: (text: string) => void) => (
    <TextField label={label} type="number" value={value} onChange={(event) => { set(event.target.value); }} sx={{ width: 130 }} slotProps={{ htmlInput: { min: 0 } }} />
  );
  return (
    <Paper sx={{ p: 1.5, mt: 1.5 }} component="section" aria-label="Questions">
      <Typography variant="h2" gutterBottom>Questions</Typography>
      <FigureForm onSubmit={() => { asking.mutate(); }}>
        <TextField select label="Question" value={question} onChange={(event) => { setQuestion(event.target.value as Question); asking.reset(); }} sx={{ width: 300 }}>
          {Object.entries(QUESTIONS).map(([key, words]) => <MenuItem key={key} value={key}>{words}</MenuItem>)}
        </TextField>
        <TextField select label="Thing" value={thing} onChange={(event) => { setThing(event.target.value); asking.reset(); }} sx={{ width: 180 }}>
          {things.map((one) => <MenuItem key={one} value={one}>{one}</MenuItem>)}
        </TextField>
        {question === "seen" && number("Came in draws", count, setCount)}
        {question === "seen" && number("Of draws", draws, setDraws)}
        {question === "weight" && number("Chance in %", chance, setChance)}
      </FigureForm>
      <ProblemNote error={asking.error} />
      {asking.data?.map((one) => (
        <Alert key={one.words} severity={one.colour} variant="outlined" sx={{ mb: 0.5 }}>
          {one.words}
          {one.address !== undefined && <Box>It is at <Mono>{one.address}</Mono>.</Box>}
        </Alert>
      ))}
    </Paper>
  );
}

interface Answer {
  words: string;
  colour: "success" | "info" | "warning" | "error";
  address?: string;
}
