"""Maps on paper: where things stand on a page, and pages as PDF, SVG and pixels. Looks nothing up."""
