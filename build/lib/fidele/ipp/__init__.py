"""What print services and printers speak: rasters and IPP messages, as bytes."""
