"""The schemas of STAC, as its library ships them."""

from __future__ import annotations


def stac_faults(document, ending):
    """Return what is wrong with a catalog, a collection or an item by its schema."""
    import pystac.validation.local_validator as stac
    from jsonschema import Draft7Validator
    from referencing import Registry, Resource

    schemas = stac.get_local_schema_cache()
    every = Registry().with_resources((address, Resource.from_contents(schema)) for address, schema in schemas.items())
    (schema,) = (schema for address, schema in schemas.items() if address.endswith(f"/{ending}.json"))
    stated = document if ending == "Feature" else {**document, "stac_version": stac.VERSION}  # they are of the next one
    return [error.message for error in Draft7Validator(schema, registry=every).iter_errors(stated)]
