"""Follow-through: spring bones."""
