"""The report: one page that explains a result to somebody who was not there."""
