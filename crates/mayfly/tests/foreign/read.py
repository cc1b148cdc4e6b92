"""Reads one file with a reader that is not ours, and prints what it found. Status 3: the reader is not there.

    read.py svg FILE            the texts of a drawing
    read.py vcd FILE NAME       the changes of one variable, a line each: time in units, value
    read.py scxml FILE EVENT…   the active states at the start and after each event, a line each
    read.py sarif FILE          the rule and the line of each result
    read.py csv FILE            how many rows and columns
    read.py schema SCHEMA FILE  the lines of a file that do not hold to a JSON Schema
"""

import sys
import xml.etree.ElementTree as tree


def svg(file):
    space = "{http://www.w3.org/2000/svg}"
    root = tree.parse(file).getroot()
    assert root.tag == space + "svg", root.tag
    left, top, width, height = map(float, root.get("viewBox").split())
    assert root.find(space + "title").text and root.find(space + "desc").text
    for text in root.iter(space + "text"):
        x, y = float(text.get("x")), float(text.get("y"))
        assert left <= x <= left + width and top <= y <= top + height, f"{text.text!r} at {x} {y}"
        print("".join(text.itertext()))


def vcd(file, name):
    from vcd.reader import TokenKind, tokenize

    code = None
    time = 0
    with open(file, "rb") as stream:
        for token in tokenize(stream):
            if token.kind is TokenKind.VAR and token.var.reference == name:
                code = token.var.id_code
            elif token.kind is TokenKind.CHANGE_TIME:
                time = token.time_change
            elif token.kind in (TokenKind.CHANGE_SCALAR, TokenKind.CHANGE_REAL, TokenKind.CHANGE_STRING):
                if token.data.id_code == code:
                    print(time, token.data.value)


def scxml(file, *events):
    from statemachine.io.scxml.processor import SCXMLProcessor

    reader = SCXMLProcessor()
    with open(file, encoding="utf-8") as stream:
        reader.parse_scxml("machine", stream.read())
    machine = reader.start()
    print(*[s.id for s in machine.configuration])
    for event in events:
        machine.send(event)
        print(*[s.id for s in machine.configuration])


def sarif(file):
    from sarif_pydantic import Sarif

    with open(file, encoding="utf-8") as stream:
        log = Sarif.model_validate_json(stream.read())
    for result in log.runs[0].results:
        print(result.rule_id, result.locations[0].physical_location.region.start_line)


def table(file):
    import csv

    with open(file, newline="", encoding="utf-8") as stream:
        rows = list(csv.reader(stream, strict=True))
    assert len({len(row) for row in rows}) == 1, "rows of several lengths"
    print(len(rows), len(rows[0]))


def schema(schema, file):
    import json
    from jsonschema import Draft202012Validator

    with open(schema, encoding="utf-8") as stream:
        wanted = json.load(stream)
    Draft202012Validator.check_schema(wanted)
    with open(file, encoding="utf-8") as stream:
        for number, line in enumerate(stream, 1):
            for wrong in Draft202012Validator(wanted).iter_errors(json.loads(line)):
                print(number, wrong.message)


try:
    {"svg": svg, "vcd": vcd, "scxml": scxml, "sarif": sarif, "csv": table, "schema": schema}[sys.argv[1]](*sys.argv[2:])
except ModuleNotFoundError as e:
    print(e, file=sys.stderr)
    sys.exit(3)
