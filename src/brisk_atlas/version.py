"""The version of the application, for whatever states it."""

VERSION = "0.6.0"
