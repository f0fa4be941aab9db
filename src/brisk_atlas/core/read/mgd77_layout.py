"""What stands where in the MGD77 exchange format, and how its tabular form (MGD77T) names the same.

Columns are counted from 1, both ends included. Source: The Marine Geophysical Data Exchange Format MGD77, National
Geophysical Data Center (1977, revised 1998): header sequence 01 to 24 and the 120-byte data record. Words are English
here, and translated where they are shown.
"""

from __future__ import annotations

from typing import NamedTuple

HEADER_LINES, HEADER_WIDTH, RECORD_WIDTH = 24, 80, 120


def _survey_word(text: str) -> str:
    """Return a text that is stored as it is, and translated where it is shown."""
    return text


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

QUALITY = {
    "5": _survey_word("suspected by the originator"),
    "6": _survey_word("suspected by the data centre"),
    "9": _survey_word("no problem identified"),
}
SENSORS = {"1": _survey_word("first, leading"), "2": _survey_word("second, trailing")}
TYPES = {"1": _survey_word("observed"), "3": _survey_word("interpolated"), "9": _survey_word("not specified")}
CORRECTIONS = {
    **{f"{n:02d}": f"Matthews' zone {n}" for n in range(1, 56)},
    "59": _survey_word("Matthews' zones, the zone is not specified"),
    "60": _survey_word("S. Kuwahara's formula"), "61": _survey_word("Wilson's formula"),
    "62": _survey_word("Del Grosso's formula"), "63": _survey_word("Carter's tables"),
    "88": _survey_word("another procedure"), "97": _survey_word("sound velocity measured in the water"),
    "98": _survey_word("none was needed"),
}  # fmt: skip
CODES = (
    RecordCode("position_type", 45, 45, "how the position came about", TYPES, "9", "POS_TYPE"),
    RecordCode("bathymetry_correction", 58, 59, "how depths were corrected", CORRECTIONS, "99", "BAT_CPCO"),
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


def _header_field(
    card: int, first: int, last: int, words: str, tabular: str, values: dict[str, str] | None = None
) -> HeaderField:
    return HeaderField(card, first, last, words, values or {}, tabular)


SURVEYED = {
    "0": _survey_word("not specified"),
    "1": _survey_word("not collected"),
    "3": _survey_word("collected, not in this file"),
    "5": _survey_word("collected"),
}
PLATFORMS = {"0": _survey_word("not specified"), "1": _survey_word("ship"), "2": _survey_word("aircraft"),
             "3": _survey_word("buoy"),
             "4": _survey_word("mobile"), "5": _survey_word("fixed platform"),
             "6": _survey_word("satellite"), "7": _survey_word("submersible"), "8": _survey_word("other"),
             "9": _survey_word("not specified")}  # fmt: skip
DATUMS = {
    "00": _survey_word("no correction, sea level"), "01": _survey_word("lowest normal low water"),
    "02": _survey_word("mean lower low water"),
    "03": _survey_word("lowest low water"), "04": _survey_word("mean lower low water springs"),
    "05": _survey_word("Indian spring low water"),
    "06": _survey_word("mean low water springs"), "07": _survey_word("mean sea level"),
    "08": _survey_word("mean low water"),
    "09": _survey_word("equatorial springs low water"), "10": _survey_word("tropic lower low water"),
    "11": _survey_word("lowest astronomical tide"),
    "88": _survey_word("other, see the notes"),
}  # fmt: skip
FIELDS_OF_REFERENCE = {
    "00": _survey_word("not used"), "01": "AWC 70", "02": "AWC 75", "03": "IGRF-65", "04": "IGRF-75", "05": "GSFC-1266",
    "06": "GSFC-0674", "07": "UK 75", "08": "POGO 0368", "09": "POGO 1068", "10": "POGO 0869", "11": "IGRF-80",
    "88": _survey_word("other, see the reference field"),
}  # fmt: skip
GRAVITY_FORMULAS = {"1": "Heiskanen 1924", "2": "International 1930", "3": "IAG system 1967", "4": "IAG system 1980",
                    "8": _survey_word("other, see the formula")}  # fmt: skip
GRAVITY_SYSTEMS = {
    "1": _survey_word("local system"),
    "2": "Potsdam",
    "3": "IGSN 71",
    "9": _survey_word("other, see the reference system"),
}

HEADER = (
    _header_field(1, 2, 9, "survey identifier", "SURVEY_ID"),
    _header_field(1, 10, 14, "format", "FORMAT_77"),
    _header_field(1, 15, 22, "file number of the data centre", "CENTER_ID"),
    _header_field(1, 27, 27, "depths", "", SURVEYED),
    _header_field(1, 28, 28, "magnetics", "", SURVEYED),
    _header_field(1, 29, 29, "gravity", "", SURVEYED),
    _header_field(1, 30, 30, "high-resolution seismics", "", SURVEYED),
    _header_field(1, 31, 31, "deep seismics", "", SURVEYED),
    _header_field(1, 32, 39, "file created", "DATE_CREAT"),
    _header_field(1, 40, 78, "institution", "INST_SRC"),
    _header_field(2, 1, 18, "country", "COUNTRY"),
    _header_field(2, 19, 39, "vessel", "PLATFORM"),
    _header_field(2, 40, 40, "kind of vessel", "PLATYPE_CO", PLATFORMS),
    _header_field(2, 41, 46, "type of vessel", "PLATYPE"),
    _header_field(2, 47, 78, "chief scientist", "CHIEF"),
    _header_field(3, 1, 58, "project, cruise, leg", "PROJECT"),
    _header_field(3, 59, 78, "funding", "FUNDING"),
    _header_field(4, 1, 8, "departure", "DATE_DEP"),
    _header_field(4, 9, 40, "port of departure", "PORT_DEP"),
    _header_field(4, 41, 48, "arrival", "DATE_ARR"),
    _header_field(4, 49, 78, "port of arrival", "PORT_ARR"),
    _header_field(5, 1, 40, "navigation instruments", "NAV_INSTR"),
    _header_field(5, 41, 78, "how positions were found, datum", "POS_INFO"),
    _header_field(6, 1, 40, "bathymetry instruments", "BATH_INSTR"),
    _header_field(6, 41, 78, "further bathymetry", "BATH_ADD"),
    _header_field(7, 1, 40, "magnetics instruments", "MAG_INSTR"),
    _header_field(7, 41, 78, "further magnetics", "MAG_ADD"),
    _header_field(8, 1, 40, "gravity instruments", "GRAV_INSTR"),
    _header_field(8, 41, 78, "further gravity", "GRAV_ADD"),
    _header_field(9, 1, 40, "seismic instruments", "SEIS_INSTR"),
    _header_field(9, 41, 78, "forms of seismic data", "SEIS_FRMTS"),
    _header_field(10, 1, 1, "form of the file", "", {"A": _survey_word("characters")}),
    _header_field(10, 2, 75, "description of the form", ""),
    _header_field(11, 1, 17, "description of the form, continued", ""),
    _header_field(11, 41, 43, "northernmost latitude", "LAT_TOP"),
    _header_field(11, 44, 46, "southernmost latitude", "LAT_BOTTOM"),
    _header_field(11, 47, 50, "westernmost longitude", "LON_LEFT"),
    _header_field(11, 51, 54, "easternmost longitude", "LON_RIGHT"),
    _header_field(12, 1, 3, "digitizing rate of depths, tenths of a minute", "BATH_DRATE"),
    _header_field(12, 4, 15, "sampling rate of depths", "BATH_SRATE"),
    _header_field(12, 16, 20, "assumed velocity of sound, tenths of m/s", "SOUND_VEL"),
    _header_field(12, 21, 22, "vertical datum of depths", "VDATUM_CO", DATUMS),
    _header_field(12, 23, 78, "how depths were interpolated", "BATH_INTERP"),
    _header_field(13, 1, 3, "digitizing rate of magnetics, tenths of a minute", "MAG_DRATE"),
    _header_field(13, 4, 5, "sampling rate of magnetics, seconds", "MAG_SRATE"),
    _header_field(13, 6, 9, "tow distance of the sensor, m", "MAG_TOWDST"),
    _header_field(13, 10, 14, "depth of the sensor, tenths of a metre", "MAG_SNSDEP"),
    _header_field(13, 15, 17, "distance between sensors, m", "MAG_SNSSEP"),
    _header_field(13, 18, 19, "magnetic reference field", "MAG_REF_CO", FIELDS_OF_REFERENCE),
    _header_field(13, 20, 31, "magnetic reference field in words", "MAG_REFFLD"),
    _header_field(13, 32, 78, "how the residual field was found", "MAG_RF_MTH"),
    _header_field(14, 1, 3, "digitizing rate of gravity, tenths of a minute", "GRAV_DRATE"),
    _header_field(14, 4, 5, "sampling rate of gravity, seconds", "GRAV_SRATE"),
    _header_field(14, 6, 6, "theoretical gravity", "GRAV_TF_CO", GRAVITY_FORMULAS),
    _header_field(14, 7, 23, "theoretical gravity in words", "GRAV_TFORM"),
    _header_field(14, 24, 24, "reference system of gravity", "GRAV_RS_CO", GRAVITY_SYSTEMS),
    _header_field(14, 25, 40, "reference system in words", "GRAV_RFSYS"),
    _header_field(14, 41, 78, "corrections of gravity", "GRAV_CORR"),
    _header_field(15, 1, 7, "gravity at departure, tenths of mGal", "GRAV_ST_DP"),
    _header_field(15, 8, 40, "base station at departure", "GRAV_DESCD"),
    _header_field(15, 41, 47, "gravity at arrival, tenths of mGal", "GRAV_ST_AR"),
    _header_field(15, 48, 78, "base station at arrival", "GRAV_DESCA"),
    _header_field(16, 1, 2, "number of ten-degree squares", "IDS_10_NUM"),
    _header_field(16, 4, 78, "ten-degree squares", "IDS_10DEG"),
    _header_field(17, 1, 78, "ten-degree squares, continued", ""),
    _header_field(18, 1, 78, "further notes", "ADD_DOC"),
    *(HeaderField(card, 1, 78, "", {}, "") for card in range(19, 25)),
)  # fmt: skip
