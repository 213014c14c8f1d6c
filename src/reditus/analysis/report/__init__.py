"""Reports: exhibits drawn, and an investigation as Markdown, HTML and PDF."""
