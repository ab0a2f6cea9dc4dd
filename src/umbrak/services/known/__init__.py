"""What every other room begins with: a machine loaded whole, judged, summed up and shown. No use case of its own."""
