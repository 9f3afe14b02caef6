"""The pages of a song over the API: for each page its serializers and its view set."""
