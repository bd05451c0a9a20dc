"""The pages of the application, one module each: what is asked for them, and what they answer."""
