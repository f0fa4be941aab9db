"""Albums as files for those who have no application: pages that open in any browser."""
