#!/usr/bin/env python3
"""Other parsers judge what the program makes of values in real files.

judge-values.py FRIZZEL SEED COUNT DIRECTORY...

Of JSON, YAML and TOML files below the directories values are settled, rewritten and deleted at random,
with texts that stumble easily; what Python's own parsers and PyYAML read then must be what they
read before with that change and no other.
"""
import copy
import json
import os
import random
import subprocess
import sys
import tempfile
import tomllib

import yaml

TEXTS = ["depot-4", "8415", "yes", "no", "null", "~", "", 'it\'s "so"', "a: b # c", "- x", "2020-01-01", "1e3", "0x1f",
         "on", "[a", "{b", "*c", "&d", "!e", "%f", "@g", "`h", " lead", "trail ", "tab\there", "é→😀", "a\\nb", "true",
         "012", "1:30", "=", "<<", "line\nbreak", "two\n\nlines\n", "---", "...", "#x", "x #y", "key:", "? q", "| z", "> z"]


def load(path, text):
    if path.endswith(".json"):
        return [json.loads(text)]
    if path.endswith(".toml"):
        return [tomllib.loads(text)]
    return list(yaml.safe_load_all(text))


def paths(value, above=()):
    members = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in members:
        if isinstance(key, (str, int)) and not isinstance(key, bool) and (isinstance(key, str) or isinstance(value, list)):
            yield above + (key,)
            yield from paths(inner, above + (key,))


def query(path):
    """A path as RFC 9535 writes it; None for a name that needs more than this."""
    out = "$"
    for key in path:
        if isinstance(key, int):
            out += f"[{key}]"
        elif not key.isprintable() or "`" in key or "{=" in key:
            return None
        else:
            out += "['" + key.replace("\\", "\\\\").replace("'", "\\'") + "']"
    return out


def at(value, path):
    for key in path:
        value = value[key]
    return value


def changed(value, path, kind, text):
    value = copy.deepcopy(value)
    parent = at(value, path[:-1])
    if kind == "delete":
        del parent[path[-1]]
    else:
        parent[path[-1]] = text
    return value


def main():
    program, seed, count, directories = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), sys.argv[4:]
    rng = random.Random(seed)
    files = [os.path.join(d, f) for directory in directories for d, _, names in os.walk(directory) for f in sorted(names)
             if f.endswith((".json", ".yaml", ".yml", ".toml"))]
    rng.shuffle(files)
    tried = refused = wrong = 0
    with tempfile.TemporaryDirectory() as work:
        env = dict(os.environ, FRIZZEL_STATE=os.path.join(work, "state"))
        script = os.path.join(work, "rules.friz")
        for path in files:
            if tried >= count:
                break
            try:
                raw = open(path, "rb").read()
                before = load(path, raw.decode())
            except Exception:
                continue
            if len(raw) > 60_000 or len(before) != 1:
                continue
            places = [(p, query(p)) for p in paths(before[0])]
            places = [(p, q) for p, q in places if q]
            if not places:
                continue
            place, q = rng.choice(places)
            value = at(before[0], place)
            kind = rng.choice(["settle", "rewrite", "delete"])
            text = rng.choice(TEXTS)
            if kind != "delete" and not isinstance(value, str) or kind == "rewrite" and ("\n" in value + text or value == ""):
                kind = "delete"
            rule = {"settle": f"settle value `{q}` as \"{{=t}}\"", "rewrite": f"at `{q}` rewrite as \"{{=t}}\"", "delete": f"at `{q}` delete"}[kind]
            name = os.path.join(work, "file" + os.path.splitext(path)[1])
            open(name, "wb").write(raw)
            open(script, "w").write(("" if kind == "delete" else "param t\n") + rule + "\n")
            command = [program, "apply", "--yes", "-r", script, name] + ([] if kind == "delete" else ["--param", "t=" + text])
            done = subprocess.run(command, capture_output=True, text=True, env=env)
            tried += 1
            refused += done.returncode == 3
            want = before[0] if done.returncode == 3 else changed(before[0], place, kind, text)
            try:
                after = load(path, open(name, "rb").read().decode())
            except Exception as e:
                after = [f"does not parse: {e}"]
            if done.returncode not in (0, 3) or str(after) != str([want]) and "alias" not in done.stderr:
                wrong += 1
                print(f"{path}: {rule} with {text!r}: status {done.returncode}\n{done.stderr}")
    print(f"{tried} changes, {refused} refused, {wrong} wrong")
    sys.exit(wrong > 0 or refused * 20 > tried)


main()
