"""A catalogue as a site of files: a page for each dataset, a search, and forms that machines read."""
