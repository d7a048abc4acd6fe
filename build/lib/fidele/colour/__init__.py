"""CIE colorimetry: tristimulus values, L*a*b*, adaptation, colour difference, spectra. Knows no other package."""
