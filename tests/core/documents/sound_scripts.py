"""Sound pieces of scripts in eight syntaxes, each with something that a careless reader takes for a fault."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping
from typing import Final

SHELL: Final = (
    "#!/bin/sh\nset -e\n",
    "# it's a comment with ( and { and \"\n",
    "NAME=\"a 'quoted' b\"\nOTHER='a \"quoted\" b'\n",
    'if [ -n "$NAME" ]; then\n  echo "if only (it) were done"\nfi\n',
    'case "$1" in\n  start|run) echo start ;;\n  stop)\n    echo stop\n    ;;\n  *) echo "?" ;;\nesac\n',
    'for one in a b c; do\n  echo "$one"\ndone\n',
    'while read -r line; do echo "$line"; done < list.txt\n',
    "cat <<END\nunbalanced ( \" ' { [ if do\nEND\n",
    "cat <<-'END'\n\tit's (here\n\tEND\n",
    "count=$((1 + (2 * 3)))\necho ${NAME#*(} ${#NAME} $#\n",
    "echo done\necho if then fi\n",
    'f() {\n  local a=$1\n  [ -z "$a" ] && return 1\n  return 0\n}\n',
    "echo \\\" \\' \\( \\{\n",
    "sed -e 's/(/[/g' -e \"s/'//\" file | tr '\"' '('\n",
    "until [ -f x ]; do sleep 1; done\n",
    "if ! grep -q 'x' y; then exit 1; elif true; then :; else echo \"else\"; fi\n",
    'java -Xmx4G -jar run.jar --nogui --world="the reef" \\\n  --port 7000\n',
    "awk '{ if ($1 ~ /\\(/) print \"do\" }' x\n",
    '[ "$a" = "b" ] || { echo "no"; exit 2; }\n',
    'eval "$(printf \'%s\' "$x")"\n',
    "select one in a b; do break; done\n",
    "trap 'rm -f \"$TMP\"' EXIT\n",
    "((i++)) ; [[ $a =~ ^[a-z]+$ ]] && echo yes\n",
    'xs=(a "b c" d)\necho "${xs[@]}" "${xs[0]}"\n',
)
BATCH: Final = (
    "@echo off\n",
    "rem it's ( a comment\n:: another ( \"\n",
    'set NAME=a b\nset "TITLE=The (old) one"\n',
    "if exist x.lock (\n  echo It runs.\n) else (\n  echo It does not.\n)\n",
    "for %%f in (a b c) do echo %%f\n",
    'echo ^( ^) ^"\n',
    "goto :end\n:end\n",
    'start "" /wait game.exe --load=a;b -name "x y"\n',
    'if "%1"=="" echo nothing\n',
    "echo don't\n",
    "copy a b >nul 2>&1\n",
    "set /a COUNT=COUNT+1\n",
    'call :sub one "two three"\n',
    "echo a smile :)\n",
)
LUA: Final = (
    "-- it's a comment with { and (\n",
    "--[[ a long one: it's { here\n and if there ]]\n",
    "--[==[ with ]] in it ]==]\n",
    "local a = { 1, 2, 3, }\n",
    'local b = { x = 1; y = \'it\\\'s\', [3] = "three", ["a b"] = { } }\n',
    "local s = [[ it's { not [ closed ( ]]\n",
    "local t = [==[ ]] ]==]\n",
    "if a.x then\n  for i = 1, 3 do print(i) end\nelseif b then\n  while true do break end\nelse\n  repeat f() until g()\nend\n",
    "local function f(x) return x and { x } or nil end\n",
    "local fns = {\n  run = function(a, b) if a then return b end end,\n  stop = f,\n  [f(1)] = { 1 },\n}\n",
    'call { name = "a", list = { "b"; "c" } }\ncall \'text\'\ncall [[text]]\n',
    "local c = a .. \"end\" .. 'if'\n",
    "local d = { a = b.c, e = -1, f = 1e3, g = 0xFF, h = #a, i = not b }\n",
    'local e = { f(1), f{2}, f"3", a.b.c, a[1], (1 + 2) * 3, "x" .. "y" }\n',
    'x.y["z w"] = 5\nx.endless = 1\nx[1] = { }\n',
    "local g = { 'a', -- it's one\n  'b', --[[ two ]] 'c' }\n",
    'return { version = "1.0" }\n',
    "local h = function() return function() end end\n",
    "goto done\n::done::\n",
    "local i <const> = 5\n",
    "local m = { method = obj:call(1), cond = a == b and 'x' or 'y', big = a\n  and b\n  or c }\n",
    "local n = { [1] = 'a', [2] = 'b', ['c'] = function(...) return ... end }\n",
    "print(('x'):rep(3))\n",
)
JAVASCRIPT: Final = (
    "// it's a comment with { and (\n",
    "/* it's { a\n * longer ( one */\n",
    "const a = [1, , 3, ];\n",
    "const b = { x: 1, 'y z': \"it's\", [k]: 3, ...rest, short, };\n",
    'const s = `it\'s ${a.map((x) => `<${x}>`).join("")} {`;\n',
    "if (/[({\"']/.test(s)) { f(); }\n",
    "const r = s.replace(/\\/\\(/g, '').split(/[\\])]/);\n",
    "function f({ a = 1, b: { c = 2 } = {} }, [d, e] = []) { return { a, c }; }\n",
    "const g = ({ a, b }) => ({ a, b });\n",
    "class K extends L { x = 5; static y = { a: 1 }; get z() { return 1; } async run() { await f(); } }\n",
    "switch (a) { case 1: { break; } default: f(); }\n",
    "label: for (const x of [1, 2]) { continue label; }\n",
    "const t = a ? { x: 1 } : [2];\n",
    "const u = { run() { return 1; }, get v() { return 2; }, async *w() {}, 'q': (x) => { return x; } };\n",
    "const n = 1_000 / 2 / 3;\n",
    "register('x', { list: [{ a: 1 }, { a: 2 }], fn: function () { return {}; } }, 5);\n",
    "module.exports = { a, b: c.d, e: f(1), g: 'x' + 'y', h: a ? b : c, i: !a, j: -1 };\n",
    "export default { name: 'x', data: () => ({ y: 1 }) };\n",
    "let v = { a: `x\ny`, b: typeof z, c: new Map([[1, 2]]), d: 'it' };\n",
    "({ a: b } = c);\n",
    "for (let i = 0, j = [1]; i < 3; i++) {}\n",
    "const type = { 'a-b': null, 5: undefined, c: 0x1F, d: 1e-3 };\n",
)
C_LIKE: Final = (
    "// it's a comment with { and (\n",
    "/* it's { a\n longer ( one */\n",
    '#include "base.h"\n#define LIMIT 5 // it\'s the limit\n#define MAX(a, b) ((a) > (b) ? (a) : (b))\n',
    "static const int A[] = { 1, 2, 3, };\n",
    "#define BEGIN {\n#define BOTH(a) \\\n  { f(a); \\\n    g(\n#error don't do it (\n#pragma region it's (\n",
    'const char *S[] = { "a", "b" "c", "it\'s" };\n',
    "char c = '\"', d = '\\'', e = '{';\n",
    "struct P { int x; int y; };\nstatic struct P p = { .x = 1, .y = LIMIT };\n",
    "enum Kind { ONE, TWO = 5, THREE };\n",
    "int f(int a) { if (a) { return (a); } else return 0; }\n",
    'class K : L\n{\n  const float RATE = 0.5;\n  ref array<string> NAMES = {"a", "b"};\n  void run() { int x = 1; }\n};\n',
    "switch (a) { case 1: break; default: { f(); } }\n",
    "int big = 1'000'000;\n",
    'var s = @"c:\\dir\\";\n',
    "auto g = [&](int x) { return x; };\n",
    'map<string, int> m = { {"a", 1}, {"b", 2} };\n',
    'new Thing(1) { Name = "x", List = { 1, 2 } };\n',
    "for (int i = 0; i < 3; i++) { a[i] = (b[i]); }\n",
    'public string Name { get; set; } = "x";\n',
    "int[] n = new int[] { 1, 2 };\n",
    "int grid[2][2] = { { 1, 2 }, { 3, 4 } };\n",
    'const string T = "a { ( \\" \'";\n',
    "template<typename T> T g(T x) { return x; }\n",
)
PYTHON: Final = (
    "# it's a comment with { and (\n",
    '"""A text: it\'s { here\n(and there"""\n',
    "a = {'x': 1, \"y\": [1, 2, (3, 4)], 5: None}\n",
    "b = [x for x in a if x]\n",
    "c = {k: v for k, v in a.items()}\n",
    "def f(x: dict = {}, *y) -> list[int]:\n    return [x]\n",
    "d = f'{a[\"x\"]} {{'\n",
    "e = ('one '\n     'two')\n",
    "g = {'a': f(1), 'b': lambda x: x, 'c': 1 if a else 2, **a}\n",
    "h = a['x'][0]\n",
    "s = 'it\\'s'\n",
    "t = r'\\d('\n",
    "u = ['a' 'b', 'c']\n",
    "v = {1, 2, 3}\n",
    "print('end', end='')\n",
    "w: dict[str, int] = {'a': 1}\n",
    "LIMIT = 5  # it's the limit\n",
)
POWERSHELL: Final = (
    "# it's a comment with { and (\n",
    "<# it's { a\nlonger ( one #>\n",
    '$a = "it\'s $($b.Name) `" ("\n',
    "$c = 'he said \"so\" (' \n",
    'if ($a -eq 1) { Write-Output "x" } else { exit 1 }\n',
    "foreach ($x in @(1, 2)) { $x }\n",
    '$h = @{ Name = "x"; List = @(1, 2) }\n',
    '$t = @"\nit\'s ( {\n"@\n',
    "$u = @'\nit's ( {\n'@\n",
    '& ./game.exe --load "a,b" `\n  --quiet\n',
    'function F { param([string]$x) return "$x" }\n',
    "switch ($a) { 1 { 'one' } default { 'none' } }\n",
    "$Port = 7000\n",
    '$y = $a[0].B["c"]\n',
)
JAVA: Final = (
    "// it's a comment with { and (\n",
    "/** it's { a\n * longer ( one */\n",
    "private static final int LIMIT = 5; // it's the limit\n",
    'String[] names = {"a", "b"};\n',
    "int[][] grid = { {1, 2}, {3} };\n",
    "char c = '\\'';\n",
    '@Name("x") public void run() throws Exception { if (a) { b(); } }\n',
    'Map<String, List<Integer>> m = new HashMap<>() {{ put("a", 1); }};\n',
    "enum Kind { ONE(1), TWO(2); }\n",
    "Runnable r = () -> { run(); };\n",
    'for (String s : names) { System.out.println(s + "("); }\n',
    'public static final String[] LIST = new String[] {"a", "b"};\n',
    "label: while (true) { break label; }\n",
)
SYNTAXES: Final[Mapping[str, tuple[str, ...]]] = {
    "a.sh": SHELL,
    "a.bat": BATCH,
    "a.lua": LUA,
    "a.js": JAVASCRIPT,
    "a.cpp": C_LIKE,
    "a.py": PYTHON,
    "a.ps1": POWERSHELL,
    "a.java": JAVA,
}
EACH: Final = 25


def sound_scripts() -> Iterator[tuple[str, str]]:
    """Paths and texts: each piece for itself, and the pieces of each syntax together in many orders."""
    for path, pieces in SYNTAXES.items():
        for seed in range(EACH):
            chance = random.Random(seed)
            first, *rest = pieces
            last = [piece for piece in rest if piece.startswith("return ")]
            others = [piece for piece in rest if piece not in last]
            chosen = chance.sample(others, k=min(len(others), 6 + seed % 8))
            if seed < len(others):
                chosen = [others[seed], *(piece for piece in chosen if piece != others[seed])]
            yield path, "".join([first, *chosen, *last])
