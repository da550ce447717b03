"""Who is signed in: one-time links, the sign-in page, the page that carries the application."""
