"""Windows' functions, a store for each domain. They can be imported under Windows alone."""
