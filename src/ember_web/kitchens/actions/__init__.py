"""What changes a kitchen, its people and its clock."""
