"""Numbers out of records of a fixed width."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.system.compiled import njit

BLANK, ZERO, NINE, PLUS, MINUS = 32, 48, 57, 43, 45


@njit(cache=True, nogil=True)
def _number_at(records, row, first, last):
    """Return the number of a record in some columns, NaN for none, and whether there is something else."""
    number, sign, digits, nines, ended, wrong, signed = 0.0, 1.0, 0, 0, False, False, False
    for column in range(first, last):
        mark = records[row, column]
        if mark == BLANK:
            ended = digits > 0 or signed
            continue
        if ZERO <= mark <= NINE and not ended:
            number = number * 10 + (mark - ZERO)
            digits += 1
            if mark == NINE:
                nines += 1
        elif mark in (PLUS, MINUS) and digits == 0 and not signed:
            signed = True
            if mark == MINUS:
                sign = -1.0
        else:
            wrong = True
    if wrong or (signed and digits == 0):
        return np.nan, True
    if digits == 0 or nines == digits:
        return np.nan, False
    return sign * number, False


@njit(cache=True, nogil=True)
def fixed_columns(
    records: np.ndarray,
    firsts: np.ndarray,
    lasts: np.ndarray,
    divisors: np.ndarray,
    values: np.ndarray,
    bad: np.ndarray,
) -> None:
    """Read the whole numbers of several columns, each divided; all of a record while it is at hand.

    firsts, lasts : (m,) the columns of each number, from 0, the last not included; divisors : (m,); values : (m, n)
    float64; bad : (n,) bool
    """
    for row in range(records.shape[0]):
        for field in range(firsts.size):
            number, wrong = _number_at(records, row, firsts[field], lasts[field])
            values[field, row] = number / divisors[field]
            if wrong:
                bad[row] = True


@njit(cache=True, nogil=True)
def _digits_at(records, row, first, last):
    """Return the whole number in some columns, of which all nines is one too, and 0 for a number, 1 for blanks, 2 for
    something else."""
    number, sign, digits = 0, 1, 0
    for column in range(first, last):
        mark = records[row, column]
        if ZERO <= mark <= NINE:
            number = number * 10 + (mark - ZERO)
            digits += 1
        elif mark == MINUS and digits == 0:
            sign = -1
        elif mark not in (PLUS, BLANK):
            return 0, 2
    return sign * number, 0 if digits else 1


@njit(cache=True, nogil=True)
def survey_times(records: np.ndarray, old: int, times: np.ndarray, bad: np.ndarray) -> None:
    """Read the times of MGD77 records as milliseconds since 1970 in UTC.

    records : (n, 120) uint8; old : the first byte of a record of before 1989, with a year of two digits; times : (n,)
    int64, the minimum of its type where there is none; bad : (n,) bool, set where there is something else than a time
    Source of the count of days: Hinnant, H. (2013), "chrono-compatible low-level date algorithms".
    """
    for row in range(records.shape[0]):
        times[row] = np.iinfo(np.int64).min
        if records[row, 0] == old:
            year, a = _digits_at(records, row, 14, 16)
            zone, z = _digits_at(records, row, 9, 14)
            year, offset = year + 1900, zone * 36_000
        else:
            year, a = _digits_at(records, row, 12, 16)
            zone, z = _digits_at(records, row, 9, 12)
            offset = zone * 3_600_000
        month, b = _digits_at(records, row, 16, 18)
        day, c = _digits_at(records, row, 18, 20)
        hour, d = _digits_at(records, row, 20, 22)
        minute, e = _digits_at(records, row, 22, 27)
        if a == 2 or b == 2 or c == 2 or d == 2 or e == 2 or z == 2:
            bad[row] = True
            continue
        if a or b or c or d or e:
            continue
        if not (1 <= month <= 12 and 1 <= day <= 31 and 0 <= hour < 24 and 0 <= minute < 60_000 and year > 1600):
            bad[row] = True
            continue
        y = year - (1 if month <= 2 else 0)
        era = y // 400
        of_era = y - era * 400
        of_year = (153 * (month + (-3 if month > 2 else 9)) + 2) // 5 + day - 1
        days = era * 146_097 + of_era * 365 + of_era // 4 - of_era // 100 + of_year - 719_468
        times[row] = days * 86_400_000 + hour * 3_600_000 + minute * 60 + offset
