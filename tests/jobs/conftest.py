"""Jobs are begun as users begin them: through the API."""

from tests.api.conftest import client, film, project  # noqa: F401
