"""Numbers out of records of a fixed width."""

from __future__ import annotations

import numpy as np
from numba import njit

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
def fixed_numbers(records: np.ndarray, first: int, last: int, values: np.ndarray, bad: np.ndarray) -> None:
    """Read the whole number in columns `first` to `last` (from 0, the last not included) of each record.

    records : (n, width) uint8; values : (n,) float64, NaN where it is blank or all nines; bad : (n,) bool, set where
    it holds anything else than a number
    """
    for row in range(records.shape[0]):
        number, wrong = _number_at(records, row, first, last)
        values[row] = number
        if wrong:
            bad[row] = True
