import { useNavigate, useSearchParams } from "react-router";

type Values = Record<string, string | number | undefined>;

/**
 * The query of the page, and a way to change parts of it. An empty value leaves the query.
 *
 * The change starts from what the address bar says now: a file that was opened a moment ago is there before it is drawn,
 * and what is drawn must not take its place. `within` is the path that the page must still be under; after it was left, nothing is changed.
 */
export function usePageQuery(): [query: URLSearchParams, turn: (values: Values, within?: string) => void] {
  const [query] = useSearchParams();
  const navigate = useNavigate();
  const turn = (values: Values, within = "/") => {
    const { pathname, search, hash } = window.location;
    if (!pathname.startsWith(within)) return;
    const after = new URLSearchParams(search);
    for (const [name, value] of Object.entries(values)) {
      if (value === undefined || value === "" || value === 0) after.delete(name);
      else after.set(name, String(value));
    }
    void navigate({ pathname, search: after.toString(), hash }, { replace: true });
  };
  return [query, turn];
}
