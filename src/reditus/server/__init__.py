"""The web service: one router per noun, values in and out, no computing of its own."""
