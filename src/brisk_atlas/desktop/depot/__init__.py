"""The Depot in the window: what is offered to whom, offering a layer, and serving it."""
