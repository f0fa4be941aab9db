"""The tables of a Depot, as each version of them added to those before."""

from __future__ import annotations

from .store_database import SqlForm

_VERSIONS = (
    """
CREATE TABLE posting (id {text} PRIMARY KEY, number {integer} NOT NULL UNIQUE, title {text} NOT NULL,
    owner {text} NOT NULL, crs {text}, geometry_type {text} NOT NULL, summary {text} NOT NULL, fields {text} NOT NULL);
CREATE TABLE outlet (id {text} PRIMARY KEY, posting {text} NOT NULL REFERENCES posting ON DELETE CASCADE,
    about {text} NOT NULL);
CREATE TABLE edit (number {serial}, posting {text} NOT NULL REFERENCES posting ON DELETE CASCADE,
    row {text} NOT NULL, deed {text} NOT NULL, account {text} NOT NULL, at {text} NOT NULL, before {text},
    after {text}, undoes {integer} UNIQUE REFERENCES edit ON DELETE CASCADE);
CREATE INDEX edit_of_row ON edit (posting, row, number);
CREATE INDEX edit_in_time ON edit (posting, number);
CREATE TABLE account (name {text} PRIMARY KEY, password {text} NOT NULL, is_owner {integer} NOT NULL,
    failures {integer} NOT NULL DEFAULT 0, shut_until {text} NOT NULL DEFAULT '');
CREATE TABLE member (circle {text} NOT NULL, account {text} NOT NULL REFERENCES account ON DELETE CASCADE,
    PRIMARY KEY (circle, account));
CREATE TABLE token (digest {text} PRIMARY KEY, account {text} NOT NULL REFERENCES account ON DELETE CASCADE,
    label {text} NOT NULL, scope {text} NOT NULL, until {text} NOT NULL);
CREATE TABLE invitation (digest {text} PRIMARY KEY, is_owner {integer} NOT NULL, circles {text} NOT NULL,
    until {text} NOT NULL);
CREATE TABLE audit (number {serial}, at {text} NOT NULL, account {text} NOT NULL, deed {text} NOT NULL,
    about {text} NOT NULL)
""",
    """
CREATE TABLE setting (name {text} PRIMARY KEY, value {text} NOT NULL);
CREATE TABLE sent (account {text} NOT NULL, mark {text} NOT NULL,
    posting {text} NOT NULL REFERENCES posting ON DELETE CASCADE, row {text} NOT NULL, at {text} NOT NULL,
    PRIMARY KEY (account, mark));
CREATE INDEX sent_in_time ON sent (at)
""",
    "ALTER TABLE posting ADD COLUMN record {text} NOT NULL DEFAULT ''",
    "ALTER TABLE posting ADD COLUMN file {text} NOT NULL DEFAULT ''",
    "CREATE TABLE session (digest {text} PRIMARY KEY, account {text} NOT NULL REFERENCES account ON DELETE CASCADE, "
    "until {text} NOT NULL)",
    "CREATE TABLE openid (issuer {text} NOT NULL, subject {text} NOT NULL, "
    "account {text} NOT NULL REFERENCES account ON DELETE CASCADE, PRIMARY KEY (issuer, subject))",
    "CREATE TABLE load (outlet {text} NOT NULL REFERENCES outlet ON DELETE CASCADE, minute {text} NOT NULL, "
    "questions {integer} NOT NULL, PRIMARY KEY (outlet, minute))",
)
VERSION = len(_VERSIONS)


def statements_since(version: int, form: SqlForm) -> list[str]:
    """Return the statements that bring the tables of a version, 0 for none, to what they are now."""
    filled = (each.format(text=form.text, integer=form.integer, serial=form.serial) for each in _VERSIONS[version:])
    return [statement for each in filled for statement in each.split(";")]
