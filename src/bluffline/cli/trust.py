"""Commands on what is certified: verify, print; and the keys that certificates are signed with."""

import argparse
import json
import sys
from pathlib import Path

from bluffline.cli import files
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import SettingsError
from bluffline.media.opening import shown
from bluffline.media.target import certificate_paths
from bluffline.report.files import save_bytes, save_text
from bluffline.report.keys import Keys, key_text, load_key, told_time
from bluffline.report.verify import print_certificate, verify
from bluffline.rules.rulefile import load_rules

_VERIFIED, _NOT_VERIFIED = 0, 1


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the three commands."""
    verifying = commands.add_parser("verify", help="say whether a file is what its certificate says, and who has signed it")
    verifying.set_defaults(run=_verify)
    verifying.add_argument("file", type=Path, metavar="FILE", help="a file, or numbered pictures (shot_%%04d.dpx)")
    verifying.add_argument(
        "certificate", type=Path, nargs="?", metavar="CERTIFICATE", help="its JSON or PDF; default: the JSON beside the file"
    )  # fmt: skip
    verifying.add_argument("--measure", action="store_true", help="judge the file anew, and compare finding by finding")
    verifying.add_argument("--rules", metavar="PATH", help="the rule file, with --measure, where it is not a shipped one")
    verifying.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
    printing = commands.add_parser("print", help="make a PDF of a file's certificate, which lies in it whole")
    printing.set_defaults(run=_print)
    printing.add_argument("file", type=Path, metavar="FILE", help="a file with a certificate, or numbered pictures")
    printing.add_argument("--out", type=Path, metavar="OUT.pdf", help="default: FILE.certificate.pdf, beside the certificate")
    files.add_force(printing)
    keys = commands.add_parser("keys", help="the key that you sign certificates with, and those that you trust")
    keys.set_defaults(run=_list)
    acts = keys.add_subparsers(metavar="ACT", dest="act")
    name = acts.add_parser("name", help="sign under a name from now on, such as your station's and desk's")
    name.set_defaults(run=_name)
    name.add_argument("name", metavar="NAME")
    export = acts.add_parser("export", help="write your public key, to be given to whoever is to verify what you sign")
    export.set_defaults(run=_export)
    export.add_argument("out", type=Path, metavar="OUT.json")
    files.add_force(export)
    trust = acts.add_parser("trust", help="trust what is signed with a key that you were given")
    trust.set_defaults(run=_trust)
    trust.add_argument("key", type=Path, metavar="KEY.json")
    trust.add_argument("--name", default="", help="what you call it; default: what its owner does")
    revoke = acts.add_parser("revoke", help="trust nothing any more that was signed with a key")
    revoke.set_defaults(run=_revoke)
    revoke.add_argument("name", metavar="NAME")
    revoke.add_argument("--why", required=True, metavar="WORDS")


def _verify(options: argparse.Namespace) -> int:
    rules = load_rules(options.rules) if options.rules is not None else None
    target = None if options.json in (None, "-") else Path(options.json)
    if target is not None and target.exists():
        raise SettingsError(f"{shown(target)} is there already; choose another name.")
    with terminal_monitor(options) as monitor:
        told = verify(options.file, options.certificate, Keys(), monitor, measure=options.measure, rules=rules)
    if options.json is not None:
        text = json.dumps(told.report, indent=2, ensure_ascii=False) + "\n"
        sys.stdout.write(text) if target is None else save_text(target, text)
    if options.json != "-":
        for point in told.points:
            print(f"{'  ' if point.holds else '! '}{point.about}: {point.told}")
        how = "" if options.measure else "; its pictures were not judged anew, which --measure does"
        print(f"{shown(options.file)}: {'verified' if told.good else 'NOT verified'}{how}")
    return _VERIFIED if told.good else _NOT_VERIFIED


def _print(options: argparse.Namespace) -> int:
    target = options.out or certificate_paths(options.file).printed
    if target.suffix.lower() != ".pdf":
        raise SettingsError(f"{shown(target)} is no name of a PDF; choose one that ends with .pdf.")
    if target.exists() and not options.force:
        raise SettingsError(f"{shown(target)} is there already; --force replaces it.")
    with terminal_monitor(options) as monitor:
        save_bytes(target, print_certificate(options.file, monitor))
    print(shown(target))
    return _VERIFIED


def _list(_: argparse.Namespace) -> int:
    keys = Keys()
    own = keys.own().public
    print(f"{own.name}: {own.fingerprint} · your own, kept in {shown(keys.folder)}")
    for other in keys.others():
        state = f"trusted since {told_time(other.trusted)}"
        if other.revoked is not None:
            state = f"revoked {told_time(other.revoked)}: {other.why}"
        print(f"{other.key.name}: {other.key.fingerprint} · {state}")
    return _VERIFIED


def _name(options: argparse.Namespace) -> int:
    own = Keys().rename(options.name)
    print(f"From now on {own.name} signs: {own.public.fingerprint}")
    return _VERIFIED


def _export(options: argparse.Namespace) -> int:
    if options.out.exists() and not options.force:
        raise SettingsError(f"{shown(options.out)} is there already; --force replaces it.")
    own = Keys().own().public
    save_text(options.out, key_text(own))
    print(f"{shown(options.out)}: {own.name}, {own.fingerprint}")
    return _VERIFIED


def _trust(options: argparse.Namespace) -> int:
    key = load_key(options.key, options.name)
    Keys().trust(key)
    print(f"{key.name} is trusted: {key.fingerprint}. Compare these digits with its owner's, by telephone or in person.")
    return _VERIFIED


def _revoke(options: argparse.Namespace) -> int:
    other = Keys().revoke(options.name, options.why)
    print(f"{other.key.name} is not trusted any more: {other.key.fingerprint}")
    return _VERIFIED
