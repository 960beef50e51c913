"""Commands on accounts and members of the web application, run on the machine that holds its data."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
from typing import Any

from upwelling.core.errors import BadValue


def add_commands(commands: Any) -> None:
    """Declares user, member, root and example."""
    user = commands.add_parser(
        "user", help="accounts of the web application: add, password, allow, forbid, administer, list"
    )
    doing = user.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, words in (("add", "a new account; its password is asked for"), ("password", "another password")):
        one = doing.add_parser(what, help=words)
        one.add_argument("name", metavar="NAME")
        one.set_defaults(run=_user, creates=False)
        if what == "add":
            one.add_argument("--creates", action="store_true", help="may begin productions")
    for what, words in (
        ("allow", "may begin productions"),
        ("forbid", "may no longer begin productions"),
        ("administer", "looks after accounts on the page of accounts, and may begin productions"),
    ):
        one = doing.add_parser(what, help=words)
        one.add_argument("name", metavar="NAME")
        one.set_defaults(run=_allow)
    doing.add_parser("list", help="accounts and their roles").set_defaults(run=_list)

    member = commands.add_parser("member", help="who may do what in a production: add, role, remove")
    doing = member.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, words in (("add", "makes an account a member"), ("role", "changes a member's role")):
        one = doing.add_parser(what, help=words)
        one.add_argument("production", metavar="PRODUCTION", help="as in its address")
        one.add_argument("name", metavar="NAME")
        one.add_argument("role", metavar="ROLE", help="technician or viewer")
        one.set_defaults(run=_member)
    one = doing.add_parser("remove", help="takes a member out; what they made stays")
    one.add_argument("production", metavar="PRODUCTION")
    one.add_argument("name", metavar="NAME")
    one.set_defaults(run=_remove)

    root = commands.add_parser("root", help="folders a production may register footage from: add, remove, list")
    doing = root.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, words in (("add", "gives a production a folder"), ("remove", "takes it; shots from it stay")):
        one = doing.add_parser(what, help=words)
        one.add_argument("production", metavar="PRODUCTION")
        one.add_argument("folder", metavar="FOLDER", help="under the media folder; . is all of it")
        one.set_defaults(run=_root)
    doing.add_parser("list", help="every production's folders").set_defaults(run=_roots)

    example = commands.add_parser("example", help="Kilnlight, the made-up production, as an example: add, remove")
    doing = example.add_subparsers(dest="what", required=True, metavar="WHAT")
    one = doing.add_parser("add", help="makes it, with its footage, for an account; takes a minute or two")
    one.add_argument("name", metavar="NAME", help="the account it belongs to")
    one.set_defaults(run=_example)
    one = doing.add_parser("remove", help="says what goes: it, and the files made for it; --yes removes them")
    one.add_argument("--yes", action="store_true", help="removes, with whatever was worked in it since")
    one.set_defaults(run=_remove_example)


def _accounts() -> Any:
    """The services, with the web application set up; only these commands need it."""
    os.umask(0o077)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)
    from upwelling.web.productions import accounts

    return accounts


def _password() -> str:
    """Typed twice unseen at a terminal; else the first line of standard input."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\r\n")
    first = getpass.getpass("Password: ")
    if getpass.getpass("Again: ") != first:
        raise BadValue("The two passwords differ; nothing was changed.")
    return first


def _user(options: argparse.Namespace) -> int:
    accounts = _accounts()
    if options.what == "add":
        accounts.add_user(options.name, _password(), creates=options.creates)
    else:
        accounts.set_password(options.name, _password())
    print(f"{options.name} is an account." if options.what == "add" else f"{options.name} has another password.")
    return 0


def _allow(options: argparse.Namespace) -> int:
    if options.what == "administer":
        _accounts().administer(options.name)
        print(f"{options.name} looks after accounts.")
        return 0
    _accounts().allow(options.name, options.what == "allow")
    print(f"{options.name} {'may' if options.what == 'allow' else 'may no longer'} begin productions.")
    return 0


def _example(options: argparse.Namespace) -> int:
    _accounts()
    from django.core.management import call_command

    call_command("seed_kilnlight", owner=options.name)
    return 0


def _remove_example(options: argparse.Namespace) -> int:
    _accounts()
    from upwelling.web.care.example import remove_example, the_example, what_goes

    production = the_example()
    if production is None:
        print("No production here was made as the example; one of that name is somebody’s work and stays.")
        return 0
    if not options.yes:
        print(f"{what_goes(production)} would be removed. Say it again with --yes to remove it.")
        return 0
    left = remove_example(production)
    print("Kilnlight is gone." + (f" What was beside it stays: {', '.join(left[:5])}." if left else ""))
    return 0


def _root(options: argparse.Namespace) -> int:
    accounts = _accounts()
    if options.what == "add":
        print(
            f"{options.production} may register footage from {accounts.add_root(options.production, options.folder)}."
        )
    else:
        accounts.remove_root(options.production, options.folder)
        print(f"{options.production} may no longer register footage from {options.folder}.")
    return 0


def _roots(options: argparse.Namespace) -> int:
    for slug, folder in _accounts().roots():
        print(f"{slug}\t{folder}")
    return 0


def _list(options: argparse.Namespace) -> int:
    for name, roles in _accounts().accounts():
        print(f"{name}\t{', '.join(roles) or 'member of nothing'}")
    return 0


def _member(options: argparse.Namespace) -> int:
    accounts = _accounts()
    accounts.set_member(options.production, options.name, options.role)
    accounts.record_command(options.production, f"member made {options.role}", options.name)
    print(f"{options.name} is {options.role} of {options.production}.")
    return 0


def _remove(options: argparse.Namespace) -> int:
    accounts = _accounts()
    accounts.remove_member(options.production, options.name)
    accounts.record_command(options.production, "member removed", options.name)
    print(f"{options.name} is out of {options.production}.")
    return 0
