"""Mutated files and options through every command there is: the list of commands is the program's
own, so that a new one cannot be forgotten.
"""

from __future__ import annotations

import inspect
import json
import math
import random
import shutil
from pathlib import Path

from attacks import _CELLS, VALUES, _damage, command, mutated, small_log
from helpers import planned
from tally import Tally

from sparring.cli.app import app
from sparring.core.instruments.devices import SUPPLY, Device, DeviceSet
from sparring.core.wear.inspection import Inspections
from sparring.demo import campaign, hollin_yard, worn
from sparring.files import record_files
from sparring.logbook import Logbook

# words of each command on sound files; {name}: a file of `sound`, [what]: an option that is mutated
EXAMPLES = {
    "by-eye": ["{readings.csv} --build={build} --rig={rig} --json"],
    "campaign": ["{book} --json", "{book} --add {campaign} --json"],
    "care": ["{book} --rig [Hoist A] --json"],
    "certificate": ["--rig {rig} {out}.html"],
    "chart": ["{result} --kind torque --out {out}.svg", "{result} --kind losses --out {out}.svg"],
    "check": ["{book} --json"],
    "compare": [
        "{book} --query [family = Dunnock] --json",
        "{book} --at [0.3 N·m] --margin [2 %] --json",
        "{folder} --json",
    ],
    "cycles": ["{log} --rig {rig} --channel speed --gate [0.5] --json"],
    "data-sheet": ["{book} --build [Dunnock r2] --json"],
    "devices": ["{devices} --seconds 0.5 --json"],
    "draw": ["{build} [1] [pinion] {out}.dxf"],
    "duty": ["{duty} --builds {build} --json", "{duty} --logbook {book} --json"],
    "edit": ["{book} --set [notes=turned] --build [Dunnock r2] --json"],
    "endurance": ["{book} --json"],
    "events": ["{log} --build={build} --rig={rig} --json"],
    "export": ["{book} {out} --test [1]"],
    "formats": ["--json"],
    "import": ["{book} {build} --json", "{book} {log} --build [Dunnock r2] --rig [Hoist A] --json"],
    "life": ["{lives.csv} --confidence [0.9] --json"],
    "measure": [
        "bare-motor {motor.csv} --set [at_voltage=12 V] --json",
        "break-away {motor.csv} --set [torquemeter=0] --json",
    ],
    "next": ["--build {build} --torque [0.5 N·m] --voltage [12 V] --json"],
    "orders": ["{log} --build {build} --json", "{log} --build {build} --rig {rig} --json"],
    "parts": ["{book} --way [bare-motor] --json"],
    "plan": [
        "--build {build} --rig {rig} --line [loads 0.5, 1 kg at 12 V, 5 times; inspect] --json",
        "--build {build} --rig {rig} --question [find the stall] --json",
        "--build {build} --rig {rig} --question [efficiency curve] --load [0.5 N·m] --json",
    ],
    "ratio": ["--duty {duty} --motor {build} --module [0.8 mm] --gear [12:1mm] --json"],
    "record": [
        "--port /dev/none --build {build} --rig {rig} --plan {plan} --logbook {book} --yes --json",
        "--devices {devices} --build {build} --rig {rig} --logbook {book} --yes --json",
    ],
    "reduce": [
        "{log} --build={build} --rig={rig} --plan={plan} --json",
        "{log} --build={build} --rig={rig} --at-voltage [9 V] --winding [60 °C] --json",
    ],
    "repeats": ["--spread [1 %] --difference [2 %] --power [0.9] --json"],
    "replay": ["{log} --seconds 0.1"],
    "restore": ["{book}"],
    "simulate": ["--build={build} --rig={rig} --plan={plan} --out {out}.csv"],
    "simulate-wear": ["--build={build} --out {out}.json --turns [1000] --load [0.2 N·m]"],
    "spares": ["{book} --build [Dunnock r2] --duty {duty} --cycles [1000] --json"],
    "step-up": ["--build {build} --voltage [12 V] --load [0.1 N·m] --json"],
    "train": ["{build} --load [0.3 N·m] --json"],
    "wear": ["{inspections} --build {build} --json"],
}
# what opens a window, or drives a simulated bench for as long as it is wanted
NOT = {"open", "demo", "bench"}
OPTIONS = [
    *(v for v in VALUES if isinstance(v, str) and "\x00" not in v and "\ud83d" not in v),
    "(" * 500 + "family = x" + ")" * 500,
    "not " * 2000 + "family = x",
    "run in -5 min",
    "hold 0 min",
    "1 kg 10000000 times",
    "a.b.c=1",
    "=",
    "$\\frac$",
    "-1",
    "1e9",
    "0.1 kg at 12 V for -3 s",
]


def names() -> list[str]:
    """All commands of the program."""
    found = []
    for c in app.registered_commands:
        assert c.callback is not None
        found.append(c.name or inspect.unwrap(c.callback).__name__.replace("_", "-"))
    return sorted(found)


def sound(folder: Path) -> dict[str, Path]:
    """Files of each kind with nothing wrong in them."""
    files = {"log": small_log(folder)}
    files["log"] = files["log"].rename(folder / "sound-log.csv")
    records = {
        "build": hollin_yard.dunnock(2),
        "rig": hollin_yard.rig(),
        "plan": planned(),
        "duty": campaign.duties()[0],
        "devices": DeviceSet(
            devices=(
                Device(name="Logger", address="/dev/none"),
                SUPPLY.model_copy(update={"address": "tcp://127.0.0.1:9"}),
            )
        ),
    }
    for name, record in records.items():
        files[name] = folder / f"sound-{name}.json"
        record_files.save(files[name], record)
    texts = {
        "readings.csv": "weight,turned,time [s],voltage [V],current [A]\n0.5 kg,5 turns,3,12,0.6\n",
        "lives.csv": "turns,failed\n1000,1\n2000,1\n1500,0\n3000,1\n",
        "motor.csv": "voltage,current,speed\n12 V,0.11 A,9200 rpm\n12 V,0.5 A,7000 rpm\n",
    }
    for name, text in texts.items():
        files[name] = folder / f"sound-{name}"
        files[name].write_text(text)
    with Logbook(folder / "sound-book") as book:
        build = book.save_build(records["build"])
        rig = book.save_rig(records["rig"])
        book.add_test(build, rig, records["plan"], "one")
    files["book"] = folder / "sound-book"
    files |= derived(folder, files)
    return files


def derived(folder: Path, files: dict[str, Path]) -> dict[str, Path]:
    """What other commands make of them."""
    from typer.testing import CliRunner

    def made(*words: object) -> str:
        done = CliRunner().invoke(app, [str(w) for w in words])
        assert done.exit_code == 0, done.output
        return done.stdout

    book = folder / "made-book"
    for n, build in enumerate(hollin_yard.builds()):
        record_files.save(folder / f"build-{n}.json", build)
        made("import", book, folder / f"build-{n}.json")
    made("import", book, files["rig"])
    made("import", book, files["log"], "--build", "Dunnock r2", "--rig", "Hoist A")
    shutil.rmtree(files["book"])
    shutil.copytree(book, files["book"])
    found = {"folder": folder / "sound-folder"}
    made("export", book, found["folder"])
    found["result"] = folder / "sound-result.json"
    found["result"].write_text(
        made("reduce", files["log"], f"--build={files['build']}", f"--rig={files['rig']}", "--json")
    )
    found["inspections"] = folder / "sound-inspections.json"
    record_files.save(found["inspections"], Inspections(inspections=(worn._melted(),)))
    found["campaign"] = folder / "sound-campaign.json"
    record_files.save(found["campaign"], campaign.gears())
    return found


def hurt(path: Path, rng: random.Random) -> bytes:
    """The file with something wrong in it."""
    data = path.read_bytes()
    if path.suffix == ".json" and rng.random() < 0.9:
        return mutated(json.loads(data), rng).encode("utf-8", "surrogatepass")
    if path.suffix == ".csv" and rng.random() < 0.8:
        lines = [line.split(",") for line in data.decode().splitlines()]
        for _ in range(rng.choice([1, 1, 3])):
            cells = rng.choice(lines)
            cells[rng.randrange(len(cells))] = rng.choice([*_CELLS, "x" * 140_000])
        return "\n".join(map(",".join, lines)).encode("utf-8", "surrogatepass")
    return _damage(data, rng)


def words_of(example: str) -> list[str]:
    """`a [b c] {d}` as `a`, `[b c]`, `{d}`."""
    found, inside = [""], False
    for c in example:
        inside = (inside or c == "[") and c != "]"
        if c == " " and not inside:
            found.append("")
        else:
            found[-1] += c
    return found


def filled(word: str, files: dict[str, Path], out: Path) -> str:
    """With files in place of their names."""
    if word.startswith("["):
        return word[1:-1]
    for name, path in files.items():
        word = word.replace(f"{{{name}}}", str(path))
    return word.replace("{out}", str(out))


def every_command(n, seed, folder: Path) -> Tally:
    """Mutated files and options through every command."""
    from sparring.bench import attended

    attended._FIRST = 0.3  # no bench is there that could say what it is
    rng, tally = random.Random(seed), Tally()
    whole = sound(folder)
    work = folder / "work"
    turns = sorted(EXAMPLES)
    for k in range(n):
        name = turns[k % len(turns)]
        words = words_of(rng.choice(EXAMPLES[name]))
        if rng.random() < 0.3:  # told in words
            words = [w for w in words if w != "--json"]
        files = dict(whole)
        shutil.rmtree(work, ignore_errors=True)
        work.mkdir()
        for place in ("book", "folder"):
            if any(f"{{{place}}}" in w for w in words):
                files[place] = shutil.copytree(whole[place], work / place)
        given = [f for f in files if any(f"{{{f}}}" in w for w in words)]
        options = [i for i, w in enumerate(words) if w.startswith("[")]
        wrong, mutated_file = "", False
        if options and (not given or rng.random() < 0.4):
            at = rng.choice(options)
            wrong = rng.choice(OPTIONS)
            words[at] = f"[{wrong}]"
        elif given:
            mutated_file = True
            which = rng.choice(given)
            path = files[which]
            if path.is_dir():
                path = rng.choice(sorted(p for p in path.rglob("*") if p.is_file()))
            data = hurt(path, rng)
            if not files[which].is_dir():
                path = files[which] = work / f"bad-{which}{path.suffix}"
            path.write_bytes(data)
            wrong = repr(data[:1500])
        call = [name, *(filled(w, files, work / "out") for w in words if w)]
        what = f"{' '.join(call)[:400]} seed {seed} number {k}: {wrong[:1500]}"
        named = [p for f, p in files.items() if f in given] if mutated_file else []
        command(tally, what, call, named)
    return tally


def lines_and_searches(n, seed, _folder: Path) -> Tally:
    """Plan lines and searches made of their own words in any order."""
    from sparring.core.plan.line import opened
    from sparring.core.search import query

    rng, tally = random.Random(seed), Tally()
    for k in range(n):
        parts = rng.choices(
            "run in|hold|inspect|first power|to stall|kg|min|s|V|at|for|times|in|…|,|0.5|-5|0|1e9"
            "|loads|(|)|and|or|not|family|=|>|<|mass|\"|'|±|%|random|blocks".split("|"),
            k=rng.choice([1, 3, 8, 40, 900]),
        )
        text = rng.choice([" ", ""]).join(parts)
        with tally.one(f"line seed {seed} number {k}: {text[:200]}"):
            try:
                opened(text, hollin_yard.rig().method)
            except ValueError:
                tally.told += 1
        with tally.one(f"search seed {seed} number {k}: {text[:200]}"):
            try:
                query(text)
            except ValueError:
                tally.told += 1
    return tally


def answers(n, seed, _folder: Path) -> Tally:
    """What an instrument may answer: read as the one figure that it is, or refused; whatever the
    pattern it is compared with, in no time.
    """
    import re
    from decimal import Decimal, InvalidOperation

    from sparring.core.instruments.answers import AnswerError, PatternError, matches, pattern
    from sparring.core.instruments.devices import Query

    rng, tally = random.Random(seed), Tally()
    parts = ('0|1|9|512|.|,|-|+|e|E|E+|A|mA|uA|V|MA| |;|:|CURR|NAN|INF|#H|\x00|٣|\r|"|1e999').split(
        "|"
    )
    signs = "a|b|(|)|[|]|+|*|?|{1000}|{9,}|\\1|(?=|(?:|^|$|.|||1|ON".split("|")
    plain = re.compile(r"\s*([-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][-+]?[0-9]+)?)\s*")
    for k in range(n):
        text = "".join(rng.choices(signs, k=rng.choice([1, 3, 6, 30])))
        with tally.one(f"pattern seed {seed} number {k}: {text!r}"):
            try:
                pattern(text)
                matches(text, "a" * 5000)
            except PatternError:
                tally.told += 1
        said = "".join(rng.choices(parts, k=rng.choice([1, 2, 3, 5, 400])))
        with tally.one(what := f"answer seed {seed} number {k}: {said[:200]!r}"):
            try:
                value = Query().reading(said)
            except AnswerError:
                tally.told += 1
                if plain.fullmatch(said):
                    tally.silences.append(f"refused: {what}")
                continue
            if found := plain.fullmatch(said):  # by another reader of figures
                try:
                    true = float(Decimal(found[1]))
                except InvalidOperation:
                    true = float("nan")
                gap = math.isnan(value) and abs(true) > 9e37
                if not (value == true or gap):
                    tally.silences.append(f"read as {value}: {what}")
    return tally
