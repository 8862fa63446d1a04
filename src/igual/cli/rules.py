"""`igual rules`."""

from __future__ import annotations

import click

from igual.cli._options import json_option, print_json


@click.command(short_help="List the rules, or show one.")
@click.argument("do", required=False)
@click.option("--schema", is_flag=True, help="Print a JSON Schema of rulebooks, for editors that check TOML.")
@json_option
def rules(do: str | None, schema: bool, as_json: bool) -> None:
    """List what rules can do, with a line and an example each; or show one rule with all its words.

    \b
    Examples:  igual rules
               igual rules match
               igual rules --schema
    """  # noqa: D301 - \b keeps the lines of the examples
    from igual.errors import RulebookError
    from igual.report.rule_views import describe_rule, rule_view, rules_view
    from igual.report.terminal import show
    from igual.rules.registry import find_rules

    if schema:
        from igual.files.rulebook_schema import make_schema

        print_json(make_schema())
        return
    known = find_rules()
    if do is not None and do not in known:
        raise RulebookError.from_missing("Igual", "rule", do, known)
    chosen = {do: known[do]} if do is not None else known
    if as_json:
        print_json({"rules": [describe_rule(rule) for rule in chosen.values()]})
    elif do is not None:
        show(rule_view(known[do]))
    else:
        show(rules_view(known))
