"""What sounds when: drums, music, voice; passages, bare drums and good loops."""
