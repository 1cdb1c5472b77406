"""One module a question: each check yields findings of codes and figures."""
