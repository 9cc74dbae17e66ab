"""Windows that ask or report, and the finder."""
