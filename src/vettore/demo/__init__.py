"""The Reedbed study: made-up measurements of a made-up wetland field station."""
