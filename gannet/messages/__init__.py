"""Mail in and out, notifications, posts to other systems: what is told, and how it arrives."""
