"""Pages as answers to requests: headers, policy, static files, links to routes."""
