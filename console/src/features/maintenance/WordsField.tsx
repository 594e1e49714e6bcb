import TextField from "@mui/material/TextField";
import { useState } from "react";

/** Several words in one field, with commas between them. What is typed stays as it is until the field is left. */
export function WordsField({ label, placeholder, words, onWords }: { label: string; placeholder?: string; words: readonly string[]; onWords: (words: string[]) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <TextField
      label={label}
      placeholder={placeholder}
      value={typed ?? words.join(", ")}
      onChange={(event) => {
        setTyped(event.target.value);
        onWords(event.target.value.split(",").map((word) => word.trim()).filter(Boolean));
      }}
      onBlur={() => { setTyped(null); }}
      sx={{ width: 300 }}
    />
  );
}
