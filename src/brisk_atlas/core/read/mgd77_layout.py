"""What stands where in the MGD77 exchange format, and how its tabular form (MGD77T) names the same.

Columns are counted from 1, both ends included. Source: The Marine Geophysical Data Exchange Format MGD77, National
Geophysical Data Center (1977, revised 1998): header sequence 01 to 24 and the 120-byte data record.
"""

from __future__ import annotations

from typing import NamedTuple

HEADER_LINES, HEADER_WIDTH, RECORD_WIDTH = 24, 80, 120


class RecordField(NamedTuple):
    """A number of a data record: its name in the rows, its columns, by what the digits are divided, its unit, what it
    is, the limits of the format, and its column in the tabular form."""

    name: str
    first: int
    last: int
    divisor: float
    unit: str
    meaning: str
    limits: tuple[float, float]
    tabular: str


class RecordCode(NamedTuple):
    """A code of a data record, stored as its text; `none` stands for that nothing is stated."""

    name: str
    first: int
    last: int
    meaning: str
    values: dict[str, str]
    none: str
    tabular: str


NUMBERS = (
    RecordField("lat", 28, 35, 1e5, "°", "latitude", (-90, 90), "LAT"),
    RecordField("lon", 36, 44, 1e5, "°", "longitude", (-180, 360), "LON"),
    RecordField("travel_time_s", 46, 51, 1e4, "s", "two-way travel time of the sound", (0, 15), "BAT_TTIME"),
    RecordField("depth_m", 52, 57, 10, "m", "corrected depth", (0, 11_000), "CORR_DEPTH"),
    RecordField("magnetic_total_nt", 61, 66, 10, "nT", "total magnetic field", (19_000, 72_000), "MAG_TOT"),
    RecordField("magnetic_total_2_nt", 67, 72, 10, "nT", "total field, second sensor", (19_000, 72_000), "MAG_TOT2"),
    RecordField("magnetic_residual_nt", 73, 78, 10, "nT", "residual magnetic field", (-3_000, 3_000), "MAG_RES"),
    RecordField("diurnal_nt", 80, 84, 10, "nT", "magnetic diurnal correction", (-100, 100), "MAG_DICORR"),
    RecordField("magnetic_sensor_m", 85, 90, 1, "m", "depth of the magnetic sensor", (-6_000, 6_000), "MAG_SDEPTH"),
    RecordField("gravity_mgal", 91, 97, 10, "mGal", "observed gravity", (977_600, 983_800), "GRA_OBS"),
    RecordField("eotvos_mgal", 98, 103, 10, "mGal", "Eötvös correction", (-150, 150), "EOTVOS"),
    RecordField("free_air_mgal", 104, 108, 10, "mGal", "free-air anomaly", (-400, 1_000), "FREEAIR"),
)  # fmt: skip
ALWAYS = ("lat", "lon", "depth_m", "magnetic_total_nt", "magnetic_residual_nt", "gravity_mgal", "free_air_mgal")

QUALITY = {"5": "suspected by the originator", "6": "suspected by the data centre", "9": "no problem identified"}
SENSORS = {"1": "first, leading", "2": "second, trailing"}
TYPES = {"1": "observed", "3": "interpolated", "9": "not specified"}
CODES = (
    RecordCode("position_type", 45, 45, "how the position came about", TYPES, "9", "POS_TYPE"),
    RecordCode("bathymetry_correction", 58, 59, "how depths were corrected", {
        **{f"{n:02d}": f"Matthews' zone {n}" for n in range(1, 56)}, "59": "Matthews' zones, the zone is not specified",
        "60": "S. Kuwahara's formula", "61": "Wilson's formula", "62": "Del Grosso's formula", "63": "Carter's tables",
        "88": "another procedure", "97": "sound velocity measured in the water", "98": "none was needed",
    }, "99", "BAT_CPCO"),
    RecordCode("bathymetry_type", 60, 60, "how the depth came about", TYPES, "9", "BAT_TYPCO"),
    RecordCode("residual_sensor", 79, 79, "sensor of the residual field", SENSORS, "9", "MAG_RESSEN"),
    RecordCode("seismic_line", 109, 113, "seismic line", {}, "99999", "LINEID"),
    RecordCode("shot_point", 114, 119, "seismic shot point", {}, "999999", "POINTID"),
    RecordCode("navigation_quality", 120, 120, "quality of the navigation", QUALITY, "9", "NAV_QUALCO"),
)  # fmt: skip


class HeaderField(NamedTuple):
    """An entry of the header: its card, its columns, what it is in plain words, its codes, and its column in the
    tabular form."""

    card: int
    first: int
    last: int
    words: str
    values: dict[str, str]
    tabular: str


def _plain(
    card: int, first: int, last: int, words: str, tabular: str, values: dict[str, str] | None = None
) -> HeaderField:
    return HeaderField(card, first, last, words, values or {}, tabular)


SURVEYED = {"0": "not specified", "1": "not collected", "3": "collected, not in this file", "5": "collected"}
PLATFORMS = {"0": "not specified", "1": "ship", "2": "aircraft", "3": "buoy", "4": "mobile", "5": "fixed platform",
             "6": "satellite", "7": "submersible", "8": "other", "9": "not specified"}  # fmt: skip
DATUMS = {
    "00": "no correction, sea level", "01": "lowest normal low water", "02": "mean lower low water",
    "03": "lowest low water", "04": "mean lower low water springs", "05": "Indian spring low water",
    "06": "mean low water springs", "07": "mean sea level", "08": "mean low water",
    "09": "equatorial springs low water", "10": "tropic lower low water", "11": "lowest astronomical tide",
    "88": "other, see the notes",
}  # fmt: skip
FIELDS_OF_REFERENCE = {
    "00": "not used", "01": "AWC 70", "02": "AWC 75", "03": "IGRF-65", "04": "IGRF-75", "05": "GSFC-1266",
    "06": "GSFC-0674", "07": "UK 75", "08": "POGO 0368", "09": "POGO 1068", "10": "POGO 0869", "11": "IGRF-80",
    "88": "other, see the reference field",
}  # fmt: skip
GRAVITY_FORMULAS = {"1": "Heiskanen 1924", "2": "International 1930", "3": "IAG system 1967", "4": "IAG system 1980",
                    "8": "other, see the formula"}  # fmt: skip
GRAVITY_SYSTEMS = {"1": "local system", "2": "Potsdam", "3": "IGSN 71", "9": "other, see the reference system"}

HEADER = (
    _plain(1, 2, 9, "survey identifier", "SURVEY_ID"),
    _plain(1, 10, 14, "format", "FORMAT_77"),
    _plain(1, 15, 22, "file number of the data centre", "CENTER_ID"),
    _plain(1, 27, 27, "depths", "", SURVEYED),
    _plain(1, 28, 28, "magnetics", "", SURVEYED),
    _plain(1, 29, 29, "gravity", "", SURVEYED),
    _plain(1, 30, 30, "high-resolution seismics", "", SURVEYED),
    _plain(1, 31, 31, "deep seismics", "", SURVEYED),
    _plain(1, 32, 39, "file created", "DATE_CREAT"),
    _plain(1, 40, 78, "institution", "INST_SRC"),
    _plain(2, 1, 18, "country", "COUNTRY"),
    _plain(2, 19, 39, "vessel", "PLATFORM"),
    _plain(2, 40, 40, "kind of vessel", "PLATYPE_CO", PLATFORMS),
    _plain(2, 41, 46, "type of vessel", "PLATYPE"),
    _plain(2, 47, 78, "chief scientist", "CHIEF"),
    _plain(3, 1, 58, "project, cruise, leg", "PROJECT"),
    _plain(3, 59, 78, "funding", "FUNDING"),
    _plain(4, 1, 8, "departure", "DATE_DEP"),
    _plain(4, 9, 40, "port of departure", "PORT_DEP"),
    _plain(4, 41, 48, "arrival", "DATE_ARR"),
    _plain(4, 49, 78, "port of arrival", "PORT_ARR"),
    _plain(5, 1, 40, "navigation instruments", "NAV_INSTR"),
    _plain(5, 41, 78, "how positions were found, datum", "POS_INFO"),
    _plain(6, 1, 40, "bathymetry instruments", "BATH_INSTR"),
    _plain(6, 41, 78, "further bathymetry", "BATH_ADD"),
    _plain(7, 1, 40, "magnetics instruments", "MAG_INSTR"),
    _plain(7, 41, 78, "further magnetics", "MAG_ADD"),
    _plain(8, 1, 40, "gravity instruments", "GRAV_INSTR"),
    _plain(8, 41, 78, "further gravity", "GRAV_ADD"),
    _plain(9, 1, 40, "seismic instruments", "SEIS_INSTR"),
    _plain(9, 41, 78, "forms of seismic data", "SEIS_FRMTS"),
    _plain(10, 1, 1, "form of the file", "", {"A": "characters"}),
    _plain(10, 2, 75, "description of the form", ""),
    _plain(11, 1, 17, "description of the form, continued", ""),
    _plain(11, 41, 43, "northernmost latitude", "LAT_TOP"),
    _plain(11, 44, 46, "southernmost latitude", "LAT_BOTTOM"),
    _plain(11, 47, 50, "westernmost longitude", "LON_LEFT"),
    _plain(11, 51, 54, "easternmost longitude", "LON_RIGHT"),
    _plain(12, 1, 3, "digitizing rate of depths, tenths of a minute", "BATH_DRATE"),
    _plain(12, 4, 15, "sampling rate of depths", "BATH_SRATE"),
    _plain(12, 16, 20, "assumed velocity of sound, tenths of m/s", "SOUND_VEL"),
    _plain(12, 21, 22, "vertical datum of depths", "VDATUM_CO", DATUMS),
    _plain(12, 23, 78, "how depths were interpolated", "BATH_INTERP"),
    _plain(13, 1, 3, "digitizing rate of magnetics, tenths of a minute", "MAG_DRATE"),
    _plain(13, 4, 5, "sampling rate of magnetics, seconds", "MAG_SRATE"),
    _plain(13, 6, 9, "tow distance of the sensor, m", "MAG_TOWDST"),
    _plain(13, 10, 14, "depth of the sensor, tenths of a metre", "MAG_SNSDEP"),
    _plain(13, 15, 17, "distance between sensors, m", "MAG_SNSSEP"),
    _plain(13, 18, 19, "magnetic reference field", "MAG_REF_CO", FIELDS_OF_REFERENCE),
    _plain(13, 20, 31, "magnetic reference field in words", "MAG_REFFLD"),
    _plain(13, 32, 78, "how the residual field was found", "MAG_RF_MTH"),
    _plain(14, 1, 3, "digitizing rate of gravity, tenths of a minute", "GRAV_DRATE"),
    _plain(14, 4, 5, "sampling rate of gravity, seconds", "GRAV_SRATE"),
    _plain(14, 6, 6, "theoretical gravity", "GRAV_TF_CO", GRAVITY_FORMULAS),
    _plain(14, 7, 23, "theoretical gravity in words", "GRAV_TFORM"),
    _plain(14, 24, 24, "reference system of gravity", "GRAV_RS_CO", GRAVITY_SYSTEMS),
    _plain(14, 25, 40, "reference system in words", "GRAV_RFSYS"),
    _plain(14, 41, 78, "corrections of gravity", "GRAV_CORR"),
    _plain(15, 1, 7, "gravity at departure, tenths of mGal", "GRAV_ST_DP"),
    _plain(15, 8, 40, "base station at departure", "GRAV_DESCD"),
    _plain(15, 41, 47, "gravity at arrival, tenths of mGal", "GRAV_ST_AR"),
    _plain(15, 48, 78, "base station at arrival", "GRAV_DESCA"),
    _plain(16, 1, 2, "number of ten-degree squares", "IDS_10_NUM"),
    _plain(16, 4, 78, "ten-degree squares", "IDS_10DEG"),
    _plain(17, 1, 78, "ten-degree squares, continued", ""),
    _plain(18, 1, 78, "further notes", "ADD_DOC"),
    *(_plain(card, 1, 78, "", "") for card in range(19, 25)),
)  # fmt: skip
