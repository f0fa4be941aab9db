"""The benchmark suite: ratios in one run, medians. `./run bench [NAME...] [--json OUT]`."""
