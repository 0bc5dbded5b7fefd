"""Finding tracks for open links; judging them is the board's business."""
