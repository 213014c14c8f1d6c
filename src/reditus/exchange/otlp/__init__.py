"""OTLP/HTTP (OpenTelemetry Protocol 1.x) from any sender: metrics become counters, log records become markers."""
