import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { Controller, useFormContext } from "react-hook-form";

import { answer, api } from "../../api/client";
import type { Draft } from "./serverDraft";

/** Which gamebook a server has, in the form around it. */
export function GamebookField() {
  const { control } = useFormContext<Draft>();
  const gamebooks = useQuery({ queryKey: ["gamebooks"], queryFn: () => answer(api.GET("/api/v1/gamebooks")) });
  return (
    <Controller
      name="gamebook"
      control={control}
      render={({ field }) => (
        <TextField select label="Gamebook" {...field}>
          <MenuItem value="">None</MenuItem>
          {gamebooks.data?.map((book) => (
            <MenuItem key={book.name} value={book.name}>
              {book.name}
            </MenuItem>
          ))}
        </TextField>
      )}
    />
  );
}
