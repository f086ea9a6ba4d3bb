"""What the press house does today."""

import press_schedule.plan

press_schedule.plan.main()
