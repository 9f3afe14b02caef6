"""Musical time: exact positions in quarter notes, tempo, bars, and the frames they fall on."""
