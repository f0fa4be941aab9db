"""Gas stations (CSV), their readings (Parquet) and the laboratory's results (XLSX)."""

from __future__ import annotations

import csv
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq

from .ground import rng, sample
from .terrain import FISSURE_2031, terrain
from .vectors import STATIONS, TO_DEGREES

READINGS_FROM, READINGS_HOURS, STEP_HOURS = np.datetime64("2030-01-01T00:00"), 548 * 24, 6
ONSET = np.datetime64("2031-04-17T05:00")


def stations() -> list[dict]:
    rows = []
    for code, name, place in STATIONS:
        lon, lat = TO_DEGREES.transform(*place)
        rows.append(dict(station=code, name=name, longitude=f"{lon:.6f}", latitude=f"{lat:.6f}",
                         elevation_m=f"{float(sample(terrain().before, *place)):.1f}",
                         installed="2029-09-01" if code < "G05" else "2029-10-15",
                         instrument="open path" if code in ("G03", "G04") else "multi gas"))  # fmt: skip
    return rows


def readings() -> pa.Table:
    """Return six-hourly gas at every station; sulphur dioxide in ppm leaps at the onset."""
    times = READINGS_FROM + np.arange(0, READINGS_HOURS, STEP_HOURS).astype("timedelta64[h]")
    days = (times - ONSET) / np.timedelta64(1, "D")
    columns: dict[str, list] = {
        "station": [],
        "time": [],
        "so2_ppm": [],
        "co2_ppm": [],
        "h2s_ppm": [],
        "temperature_c": [],
    }
    vent = np.mean(FISSURE_2031, axis=0)
    for code, _, place in STATIONS:
        random = rng(f"gas {code}")
        near = np.exp(-np.hypot(*(np.array(place) - vent)) / 1300)
        unrest = 1.8 * np.exp(-(((days + 12) / 30).clip(None, 0) ** 2) / 2) * (days < 0)
        alive = np.where(days >= 0, 26 * np.exp(-days.clip(0) / 34), 0)
        so2 = (0.12 + near * (0.35 + unrest + alive)) * random.lognormal(0, 0.25, times.size)
        co2 = 418 + 90 * near + 22 * so2 + random.normal(0, 6, times.size)
        h2s = 0.05 + 0.09 * so2 * random.lognormal(0, 0.2, times.size)
        year = 2 * np.pi * (times - READINGS_FROM) / np.timedelta64(365, "D")
        day = 2 * np.pi * ((times - READINGS_FROM) / np.timedelta64(24, "h"))
        warm = 12 + 5 * np.cos(year) - 3 * np.cos(day) - 0.006 * float(sample(terrain().before, *place))
        gone = random.uniform(size=times.size) < 0.015
        dead = (code == "G05") & (days > 1)  # the lava took this station
        keep = ~(gone | dead)
        columns["station"] += [code] * int(keep.sum())
        columns["time"].append(times[keep])
        for name, values in (
            ("so2_ppm", so2),
            ("co2_ppm", co2),
            ("h2s_ppm", h2s),
            ("temperature_c", warm + random.normal(0, 0.8, times.size)),
        ):
            columns[name].append(np.round(values[keep], 2).astype(np.float32))
    arrays = {"station": pa.array(columns["station"]).dictionary_encode()}
    arrays["time"] = pa.array(np.concatenate(columns["time"]).astype("datetime64[ms]"))
    for name in ("so2_ppm", "co2_ppm", "h2s_ppm", "temperature_c"):
        arrays[name] = pa.array(np.concatenate(columns[name]))
    return pa.table(arrays)


def laboratory() -> list[dict]:
    random = rng("laboratory")
    rows = []
    for code, *_ in STATIONS:
        for number, day in enumerate(("2030-06-12", "2030-12-04", "2031-05-20"), 1):
            if code == "G05" and number == 3:
                continue
            strong = 1 + 3.2 * (number == 3) * (code in ("G02", "G03", "G04", "G06"))
            rows.append(dict(result=f"{code}-{number}", station=code, sampled=day,
                             ph=round(float(7.1 - 0.9 * np.log(strong) + random.normal(0, 0.15)), 2),
                             sulphate_mg_l=round(float(18 * strong * random.lognormal(0, 0.3)), 1),
                             chloride_mg_l=round(float(40 * strong**0.5 * random.lognormal(0, 0.25)), 1),
                             fluoride_mg_l=None if number == 1 and code > "G09" else round(float(0.4 * strong * random.lognormal(0, 0.3)), 2)))  # fmt: skip
    return rows


def write_tables(folder: Path) -> None:
    rows = stations()
    with (folder / "gas_stations.csv").open("w", newline="", encoding="utf-8") as out:
        writer = csv.DictWriter(out, rows[0].keys(), lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)
    pq.write_table(readings(), folder / "gas_readings.parquet", compression="zstd")
    book = openpyxl.Workbook()
    book.properties.created = book.properties.modified = datetime(2031, 6, 30, tzinfo=UTC).replace(tzinfo=None)
    sheet = book.active
    sheet.title = "water"
    results = laboratory()
    sheet.append(list(results[0]))
    for row in results:
        sheet.append(list(row.values()))
    notes = book.create_sheet("methods")
    for line in (("column", "method"), ("ph", "glass electrode, 25 C"), ("sulphate_mg_l", "ion chromatography"),
                 ("chloride_mg_l", "ion chromatography"), ("fluoride_mg_l", "ion selective electrode")):  # fmt: skip
        notes.append(line)
    book.save(folder / "laboratory.xlsx")
