"""What is wrong, what would cure it and why: findings with both numbers, cautions, where a part makes no sense."""
