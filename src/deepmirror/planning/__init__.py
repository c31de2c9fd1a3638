"""From plan, history and pain to the next session: every load exists, no rise passes a closed gate, every number has its reason."""
