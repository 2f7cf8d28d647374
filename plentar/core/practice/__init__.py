"""Practice: a hidden fault on the same circuit, in time, judged by the same judgement. Above the visit."""
