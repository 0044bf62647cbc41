package domain

import "time"

// Trouble is what keeps values from being where they should be.
type Trouble struct {
	// Since is when the database took nothing any more, Reason what it says, and
	// Doing what is being done about it; all are empty while it takes things.
	Since  time.Time
	Reason string
	Doing  string
	// Blocks of samples, and their size in bytes, wait in the spill file; Records
	// is what waits besides.
	Blocks  int
	Bytes   int64
	Records int64
	// Behind is how much longer ago than it should be the newest answer came.
	Behind time.Duration
}

// CollectorStats are figures about collecting since the start.
type CollectorStats struct {
	Scheduler SchedulerStats
	Samples   int64 // stored
	// Implausible is how many values could not be, and were kept apart.
	Implausible int64
	Fetches     int64
	Failures    int64 // fetches that ended in an error
	Buffered    int   // results that wait for the pipeline
	Away        bool  // the database does not take samples now
	// Aside is what waits for the database beside samples.
	Aside int64
	// Unrecorded is what judging found and the database did not take yet;
	// SetAside what it refused for its own reason.
	Unrecorded int64
	SetAside   int64
}

// Footprint is what the process takes of the machine.
type Footprint struct {
	Since      time.Time // when collecting began
	Goroutines int
	Heap       float64 // bytes that are in use, and what is not yet swept
	Resident   float64 // bytes of memory; 0 where the system does not tell
	Threads    int
}

// Jump is that the clock of the machine was set.
type Jump struct {
	At time.Time     `json:"at"` // as the clock showed afterwards
	By time.Duration `json:"by"` // forward, or back where it is negative
}

// SchedulerStats are figures about the work.
type SchedulerStats struct {
	Tasks   int           // known
	Running int           // at this moment
	Done    int64         // since the start
	Skipped int64         // rounds left out since the one before still ran
	Late    time.Duration // largest delay of a start since the last look
}

// SettingJump names the newest jump of the clock among what the application remembers.
const SettingJump = "clock.jump"
