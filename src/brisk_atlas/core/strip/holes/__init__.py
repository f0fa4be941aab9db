"""What was measured, described and photographed down boreholes."""
