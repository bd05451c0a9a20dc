"""Child processes with limits, in which what people and boxes have written is worked on: templates, pasted texts."""
