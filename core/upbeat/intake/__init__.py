"""What comes in besides sound: what names give away, tempo maps, sections. Offered, never imposed."""
