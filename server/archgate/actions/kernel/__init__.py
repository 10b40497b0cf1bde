"""What every act stands on: the unit of work, problems, the queue, lookups, answers."""
