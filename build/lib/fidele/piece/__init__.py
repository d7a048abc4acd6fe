"""The finished piece as its own chart: where the artwork lies on a scan of it, what can be measured, what that says."""
