"""Maps of an answer over the part: values of elements, their colours and legends."""
