"""The stations of the job line, one folder each; a station is a page, a state on the line, and words below."""
