"""Services by their registered names, where a rule names one."""

from __future__ import annotations

import pytest

from stomion.drafts.draft import draft_of


def _services(rule: str) -> list[tuple[str, tuple[str, ...]]]:
    return [(one.name, one.match.service) for one in draft_of(f"{rule}\n").sheet.filter]


@pytest.mark.parametrize(
    ("rule", "services"),
    [
        ("filter 1\n  source 10.64.0.0/24\n  service https, ssh\n  action allow", ("tcp/443", "tcp/22")),
        ("filter 1\n  source 10.64.0.0/24\n  service dns\n  action allow", ("tcp/53", "udp/53")),
        ("filter 1\n  source 10.64.0.0/24\n  protocol tcp\n  port www\n  action allow", ("tcp/80",)),
        ("filter 1\n  source 10.64.0.0/24\n  service ping\n  action allow", ("icmp",)),
        ("filter 1\n  source 10.64.0.0/24\n  service any\n  action allow", ()),
    ],
)
def test_a_registered_service_is_its_protocol_and_port(rule: str, services: tuple[str, ...]) -> None:
    assert _services(rule) == [("1", services)]


def test_what_the_configuration_itself_calls_a_service_goes_before() -> None:
    rule = "filter 1\n  source 10.64.0.0/24\n  service https\n  action allow"
    assert _services(f"service https\n  protocol tcp\n  port 8443\n{rule}") == [("1", ("tcp/8443",))]


def test_a_rule_that_is_called_as_a_service_keeps_its_name() -> None:
    assert _services("filter ssh\n  source 10.64.0.0/24\n  action drop") == [("ssh", ())]


def test_words_before_values_are_no_names_of_rules() -> None:
    lines = "filter permit tcp host 10.64.0.9 host 10.96.0.9 eq https\nfilter deny ip any any\n"
    assert _services(lines) == [("", ("tcp/443",)), ("", ())]
