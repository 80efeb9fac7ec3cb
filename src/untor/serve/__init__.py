"""The preview of a folder of templates: live reload in the browser, and errors as pages."""
