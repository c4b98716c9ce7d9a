#!/usr/bin/env python3
"""An office suite judges what the program makes of documents.

judge-documents.py FRIZZEL DIRECTORY...

Documents in the directories, and what the suite itself makes of them in the other formats, are changed
by the program; then the suite reads both, and writes each as a flat document, whose paragraphs must
be the ones before with the rule applied: all of them, but for those that the program says it left.
"""
import os
import re
import shutil
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as xml

TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
FLAT = {"t": "fodt", "s": "fods", "p": "fodp", "docx": "fodt", "docm": "fodt", "dotx": "fodt", "xlsx": "fods", "xltx": "fods", "pptx": "fodp", "potx": "fodp"}
OTHERS = {"fodt": ["odt", "docx"], "fods": ["ods", "xlsx"], "fodp": ["odp", "pptx"]}
# What is replaced, and by what: all that a format writes in a way of its own is among it.
RULES = [("e", "\u00eb"), ("the ", "<&> \"two\"  spaces "), ("depot-3", "yard\t4"), ("a", "\u99c5"), ("o", ""), (" ", "  ")]


def convert(suite, path, form, directory):
    subprocess.run([suite, "--headless", f"-env:UserInstallation=file://{directory}/profile", "--convert-to", form, "--outdir", directory, path],
                   stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=300)
    made = os.path.join(directory, os.path.splitext(os.path.basename(path))[0] + "." + form.split(":")[0])
    return made if os.path.exists(made) else None


def flat(path):
    end = path.rsplit(".", 1)[1].lower()
    return FLAT.get(end) or FLAT[end[-1]]


def text(e):
    out = e.text or ""
    for inner in e:
        tag = inner.tag
        if tag == TEXT + "s":
            out += " " * int(inner.get(TEXT + "c", "1"))
        elif tag == TEXT + "tab":
            out += "\t"
        elif tag == TEXT + "line-break":
            out += "\u2028"
        elif tag in (TEXT + "note", "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}annotation") or "drawing" in tag:
            pass
        else:
            out += text(inner)
        out += inner.tail or ""
    return out


def paragraphs(path):
    # styles hold what the suite itself puts there
    return [text(e) for e in xml.parse(path).iter() if e.tag in (TEXT + "p", TEXT + "h")]


def judge(frizzel, suite, path, work, tally):
    before = convert(suite, path, flat(path), os.path.join(work, "before"))
    if before is None:
        return
    was = paragraphs(before)
    for old, new in RULES:
        shutil.rmtree(os.path.join(work, "tree"), ignore_errors=True)
        os.makedirs(os.path.join(work, "tree"))
        copy = shutil.copy(path, os.path.join(work, "tree"))
        os.chmod(copy, 0o644)
        ran = subprocess.run([frizzel, "apply", "--yes", "--verbose", "--text", old, "--with", new, copy], capture_output=True, text=True)
        if ran.returncode not in (0, 3) or "left out" in ran.stderr:
            print(f"{path}: status {ran.returncode}: {ran.stderr}")
            tally["wrong"] += ran.returncode not in (0, 3)
            return
        if ran.returncode == 3:
            tally["refused"] += 1
            continue
        after = convert(suite, copy, flat(path), os.path.join(work, "after"))
        if after is None:
            print(f"{path}: after {old!r} the suite cannot read it")
            tally["wrong"] += 1
            continue
        now = paragraphs(after)
        left = len(re.findall("not changed, since", ran.stderr))
        tally["changed"] += 1
        if len(now) != len(was):
            print(f"{path}: {old!r}: {len(was)} paragraphs, then {len(now)}")
            tally["wrong"] += 1
            continue
        for a, b in zip(was, now):
            if b == a.replace(old, new):
                tally["paragraphs"] += a != b
            elif left or b == a or a.isdigit():  # locked in part, or what the suite works out anew
                tally["left"] += 1
            else:
                print(f"{path}: {old!r}: {a!r} became {b!r}")
                tally["wrong"] += 1


def main():
    frizzel, directories = sys.argv[1], sys.argv[2:]
    suite = shutil.which("soffice")
    tally = dict(documents=0, changed=0, refused=0, paragraphs=0, left=0, wrong=0)
    with tempfile.TemporaryDirectory() as work:
        os.environ["FRIZZEL_STATE"] = os.path.join(work, "state")
        for name in ("before", "after", "made"):
            os.makedirs(os.path.join(work, name))
        todo = []
        for directory in directories:
            for top, _, names in os.walk(directory):
                for name in sorted(names):
                    path = os.path.join(top, name)
                    end = name.rsplit(".", 1)[-1].lower()
                    if end not in FLAT and end not in ("odt", "ods", "odp", "ott", "ots", "otp"):
                        continue
                    todo.append(path)
        for path in todo[: int(os.environ.get("DOCUMENTS", "20"))]:
            for one in [path] + [made for form in OTHERS[flat(path)] if (made := convert(suite, path, form, os.path.join(work, "made")))]:
                tally["documents"] += 1
                judge(frizzel, suite, one, work, tally)
    print(", ".join(f"{n} {what}" for what, n in tally.items()))
    sys.exit(tally["wrong"] > 0)


main()
