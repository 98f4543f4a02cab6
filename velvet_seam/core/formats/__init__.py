"""Outside formats, as adapters around the document."""
