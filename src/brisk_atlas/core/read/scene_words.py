"""What the bands of satellite scenes are called, and which belong together."""

from __future__ import annotations


def layer_name(scene: str, notes: dict[str, str], group: str) -> str:
    """Return what a group of a scene's bands is called among other layers: with its scene, and the day on which that
    was taken unless the scene's name has it."""
    name = notes.get("scene id") or scene
    day = next((notes[key] for key in ("acquired", "date acquired", "datetime") if notes.get(key)), "")[:10]
    dated = not day or day.replace("-", "") in name or day in name
    return f"{name}, {group}" if dated else f"{name} of {day}, {group}"


OPTICAL = "visible to shortwave"
GROUPS = {
    **dict.fromkeys(("visible", "near infrared", "shortwave infrared"), OPTICAL),
    **dict.fromkeys(("coastal", "blue", "green", "yellow", "red", "rededge", "nir", "nir08", "nir09"), OPTICAL),
    **dict.fromkeys(("rededge071", "rededge075", "rededge078", "swir16", "swir22", "cirrus"), OPTICAL),
    "pan": "panchromatic",
    **dict.fromkeys(("lwir", "lwir11", "lwir12", "thermal infrared"), "thermal"),
}
ROLES = {  # role of a band: its usual names, and its centre wavelengths in micrometres
    "blue": (("blue",), (0.45, 0.515)),
    "green": (("green",), (0.525, 0.60)),
    "red": (("red",), (0.63, 0.69)),
    "near infrared": (("near infrared", "nir", "nir08"), (0.77, 0.9)),
    "shortwave infrared 1": (("shortwave infrared 1", "swir16", "swir 1"), (1.55, 1.75)),
    "shortwave infrared 2": (("shortwave infrared 2", "swir22", "swir 2"), (2.08, 2.35)),
}


def role_of_band(name: str, text: str, centre_um: float | None) -> str:
    """Return the role of a band: by its name, by the role that the scene tells, else by its centre."""
    for role, (names, _) in ROLES.items():
        if name.lower() in names or text.lower() in names:
            return role
    for role, (_, (low, high)) in ROLES.items():
        if centre_um is not None and low <= centre_um <= high and text not in ("panchromatic", "pan"):
            return role
    return text
