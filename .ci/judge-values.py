#!/usr/bin/env python3
"""Other parsers judge what the program makes of values in real files.

judge-values.py FRIZZEL SEED COUNT DIRECTORY...

Of JSON, YAML, TOML, XML and CSV files below the directories values are settled, rewritten, added, found by what they hold,
moved and deleted at random, with texts that stumble easily, in files with their own line endings and with CRLF, and in
templates. What Python's own parsers and PyYAML read then must be what they read before with that change and no other.
"""
import copy
import csv
import io
import json
import os
import random
import re
import subprocess
import sys
import tempfile
import tomllib
import xml.etree.ElementTree as tree

import yaml

TEXTS = ["depot-4", "8415", "yes", "no", "null", "~", "", 'it\'s "so"', "a: b # c", "- x", "2020-01-01", "2001-02-30", "1e3", "0x1f",
         "on", "[a", "{b", "*c", "&d", "!e", "%f", "@g", "`h", " lead", "trail ", "tab\there", "é→😀", "a\\nb", "true",
         "012", "08", "1:30", "=", "<<", "line\nbreak", "two\n\nlines\n", "\tindented\nmore", "---", "...", "#x", "x #y", "key:", "? q", "| z", "> z", "<b>&amp;", "]]>"]
EXPRESSION = re.compile(r"\{\{-?\s*/\*.*?\*/\s*-?\}\}|\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}", re.S)


def plain_template(text):
    """A template of YAML with its expressions set aside, in a way of our own: letters, or comments where they stand alone."""
    out = []
    for line in text.split("\n"):
        bare = EXPRESSION.sub("", line)
        if EXPRESSION.search(line) and not bare.strip():
            out.append(line[: len(line) - len(line.lstrip())] + "#")
        else:
            out.append(EXPRESSION.sub(lambda m: "Zz" + m.group(0).encode().hex() + "zZ", line))
    return "\n".join(out)


def load(path, text):
    if path.endswith(".json"):
        return [json.loads(text)]
    if path.endswith(".toml"):
        return [tomllib.loads(text)]
    if path.endswith(".csv"):
        rows = list(csv.reader(io.StringIO(text, newline=""), strict=True))
        rows = [r for r in rows if r]
        if len(rows) < 2 or len({len(r) for r in rows}) != 1 or len(set(rows[0])) != len(rows[0]) or len(rows[0]) < 2:
            raise ValueError("no table")
        return [[dict(zip(rows[0], r)) for r in rows[1:]]]
    if "{{" in text:
        return list(yaml.load_all(plain_template(text), yaml.SafeLoader))
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
        elif not key.isprintable() or "`" in key or "{=" in key or "Zz" in key:
            return None
        else:
            out += "['" + key.replace("\\", "\\\\").replace("'", "\\'") + "']"
    return out


def at(value, path):
    for key in path:
        value = value[key]
    return value


def change(rng, root, place, q, text, table):
    """A rule and what it makes of the root, or None where there is no such change here."""
    value = at(root, place)
    want = copy.deepcopy(root)
    parent = at(want, place[:-1])
    kinds = ["delete"] if not table else []
    if isinstance(value, str):
        kinds += ["settle", "rewrite"]
    if isinstance(value, dict) and not table:
        kinds += ["add", "literal"]
    if isinstance(value, list):
        kinds += ["item", "found", "found"]
    if isinstance(parent, list) and len(parent) > 1 and not isinstance(value, str):
        kinds += ["move"]
    if table:
        kinds += ["column", "uncolumn"]
    kind = rng.choice(kinds)
    if kind == "delete":
        del parent[place[-1]]
        return f"at `{q}` delete", want
    if kind == "settle" or kind == "rewrite" and not ("\n" in value + text or value == ""):
        parent[place[-1]] = text
        return (f'settle value `{q}` as "{{=t}}"' if kind == "settle" else f'at `{q}` rewrite as "{{=t}}"'), want
    if kind == "add":
        if "zz-new" in value:
            return None
        at(want, place)["zz-new"] = text
        return f'settle value `{q}["zz-new"]` as "{{=t}}"', want
    if kind == "literal":
        if "zz-new" in value:
            return None
        at(want, place)["zz-new"] = [1, {"a": "b c"}, True]
        return f'settle value `{q}["zz-new"]` as literal \'[1, {{"a": "b c"}}, true]\'', want
    if kind == "item":
        if text in value:
            return None
        at(want, place).append(text)
        return f'settle item `{q}` as "{{=t}}"', want
    if kind == "found":
        items = [i for i in value if isinstance(i, dict) and isinstance(i.get("name"), str) and '"' not in i["name"] and "`" not in i["name"] and "Zz" not in i["name"] and "\\" not in i["name"] and i["name"].isprintable()]
        if not items or any(not isinstance(i, dict) for i in value):
            return None
        name = rng.choice([i["name"] for i in items] + ["zz-9"])
        same = [k for k, i in enumerate(value) if i.get("name") == name]
        if len(same) > 1:
            return None
        if same:
            at(want, place)[same[0]]["zz-new"] = text
        else:
            at(want, place).append({"name": name, "zz-new": text})
        return f'settle value `{q}[?@.name == "{name}"]["zz-new"]` as "{{=t}}"', want
    if kind == "move":
        parent.insert(0, parent.pop(place[-1]))
        return f"at `{q}` move at top", want
    if kind == "column":
        for row in want:
            row["zz-new"] = text
        return "settle value `$[*]['zz-new']` as \"{=t}\"", want
    if kind == "uncolumn" and isinstance(place[-1], str):
        name = query((place[-1],))
        if not name:
            return None
        for row in want:
            del row[place[-1]]
        return f"at `$[*]{name[1:]}` delete", want
    return None


def same(path, a, b):
    if path.endswith(".toml"):
        a, b = (json.dumps(v, default=str, sort_keys=True) for v in (a, b))
    return str(a) == str(b)


def elements(root, path=""):
    counts = {}
    for e in root:
        if not isinstance(e.tag, str):
            continue
        local = e.tag.rpartition("}")[2]
        counts[local] = counts.get(local, 0) + 1
        here = f"{path}/{local}[{counts[local]}]"
        yield e, root, here
        yield from elements(e, here)


def shape(e):
    text = e.text or ""
    return (e.tag.rpartition("}")[2], sorted(e.attrib.items()), text if len(e) == 0 and text.strip() else text.strip(), [(shape(c), (c.tail or "").strip()) for c in e if isinstance(c.tag, str)])


def change_xml(rng, root, text):
    everything = list(elements(root, "/" + root.tag.rpartition("}")[2] + "[1]"))
    if not everything:
        return None
    e, parent, path = rng.choice(everything)
    attributes = [a for a in e.attrib if "}" not in a]
    kind = rng.choice(["text", "attribute", "new", "delete", "element"])
    text = text.replace("\r", "")
    if kind == "text" and len(e) == 0 and (e.text or "") != "":
        e.text = text
        return None, f'at `{path}` settle value `.` as "{{=t}}"'
    if kind == "attribute" and attributes:
        name = rng.choice(attributes)
        e.set(name, text)
        return None, f'at `{path}` settle value `@{name}` as "{{=t}}"'
    if kind == "new":
        e.set("zz-new", text)
        return None, f'at `{path}` settle value `@zz-new` as "{{=t}}"'
    if kind == "delete":
        i = list(parent).index(e)
        tail = (e.tail or "").strip()
        if tail:
            return None
        parent.remove(e)
        return None, f"at `{path}` delete"
    if kind == "element" and not (e.text or "").strip() and all(not (c.tail or "").strip() for c in e) and len(e) > 0:
        made = tree.SubElement(e, "zz-new")
        made.text = text or None
        return None, f'at `{path}` settle value `zz-new` as "{{=t}}"'
    return None


def judge_xml(rng, raw, text):
    source = raw.decode()
    root = tree.fromstring(source)
    made = change_xml(rng, root, text)
    if not made or not made[1]:
        return None
    return made[1], shape(root)


def main():
    program, seed, count, directories = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), sys.argv[4:]
    rng = random.Random(seed)
    files = [os.path.join(d, f) for directory in directories for d, _, names in os.walk(directory) for f in sorted(names)
             if f.endswith((".json", ".yaml", ".yml", ".toml", ".xml", ".svg", ".csv"))]
    rng.shuffle(files)
    tried, refused, wrong = {}, {}, 0
    most = count // 4  # of each kind of file
    with tempfile.TemporaryDirectory() as work:
        env = dict(os.environ, FRIZZEL_STATE=os.path.join(work, "state"))
        script = os.path.join(work, "rules.friz")
        for path in files:
            ending = os.path.splitext(path)[1]
            if sum(tried.values()) >= count:
                break
            if tried.get(ending, 0) >= most:
                continue
            text = rng.choice(TEXTS)
            is_xml = ending in (".xml", ".svg")
            try:
                raw = open(path, "rb").read()
                if len(raw) > 60_000 or b"<!DOCTYPE" in raw and b"<!ENTITY" in raw:
                    continue
                if rng.random() < 0.3 and b"\r" not in raw:
                    raw = raw.replace(b"\n", b"\r\n")
                if is_xml:
                    made = judge_xml(rng, raw, text)
                    if not made:
                        continue
                    rule, want = made
                    before = shape(tree.fromstring(raw.decode()))
                else:
                    before = load(path, raw.decode())
                    if len(before) != 1:
                        continue
                    places = [(p, query(p)) for p in paths(before[0])]
                    places = [(p, q) for p, q in places if q]
                    if not places:
                        continue
                    place, q = rng.choice(places)
                    made = change(rng, before[0], place, q, text, path.endswith(".csv"))
                    if not made or ending == ".toml" and "as literal" in made[0]:
                        continue
                    rule, want = made
            except Exception:
                continue
            name = os.path.join(work, "file" + ending)
            open(name, "wb").write(raw)
            takes = "{=t}" in rule
            open(script, "w").write(("param t\n" if takes else "") + rule + "\n")
            command = [program, "apply", "--yes", "-r", script, name] + (["--param", "t=" + text] if takes else [])
            done = subprocess.run(command, capture_output=True, text=True, env=env)
            tried[ending] = tried.get(ending, 0) + 1
            if done.returncode == 3:
                refused[ending] = refused.get(ending, 0) + 1
                if os.environ.get("SHOW"):
                    print(f"{path}: {rule} with {text!r}: {done.stderr.strip().splitlines()[-1]}")
                want = before if is_xml else before[0]
            try:
                now = open(name, "rb").read()
                after = shape(tree.fromstring(now.decode())) if is_xml else load(path, now.decode())
            except Exception as e:
                after = [f"does not parse: {e}"]
            good = after == want if is_xml else same(path, after, [want])
            if b"\r\n" in raw and not re.search(rb"(?<!\r)\n", raw) and re.search(rb"(?<!\r)\n", now):
                good = False
                done.stderr += "a line feed alone"
            if done.returncode not in (0, 3) or not good and "alias" not in done.stderr:
                wrong += 1
                print(f"{path}: {rule} with {text!r}: status {done.returncode}\n{done.stderr}")
    everything, no = sum(tried.values()), sum(refused.values())
    print(f"{everything} changes, {no} refused, {wrong} wrong; " + ", ".join(f"{k} {n} ({refused.get(k, 0)} refused)" for k, n in sorted(tried.items())))
    sys.exit(wrong > 0 or no * 20 > everything)


main()
