"""Every number that a rule judges by, in one table: its value, its unit, and why it is what it is."""

from dataclasses import dataclass, fields
from typing import Annotated, get_args, get_type_hints


@dataclass(frozen=True, slots=True)
class Why:
    """Unit of a parameter, and the reason for its value."""

    unit: str
    reason: str


@dataclass(frozen=True, slots=True)
class Parameters:
    """The defaults; another set may be passed to `diagnose`."""

    cpu_occupied_enter: Annotated[
        float, Why("share of cores", "Hardly an idle moment left; below that a task could have run at once.")
    ] = 0.9
    cpu_occupied_leave: Annotated[
        float, Why("share of cores", "Lower than the entry, so that a short dip does not cut a stretch in two.")
    ] = 0.8
    cpu_stall_enter: Annotated[
        float,
        Why(
            "share of time",
            "With more runnable tasks than cores there is always a task waiting and the share is near 1; a busy "
            "machine whose tasks only make room for short chores stays far below a half.",
        ),
    ] = 0.5
    cpu_stall_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.3
    cpu_waiting_per_core: Annotated[
        float,
        Why(
            "tasks per core, mean over the stretch",
            "On many cores some task nearly always waits for a moment; it is a shortage when the queue is a real part "
            "of what runs.",
        ),
    ] = 0.1
    cpu_nice_share: Annotated[
        float,
        Why(
            "share of busy time",
            "Low-priority work fills idle time and makes room when others come: while it has half of what is used, the "
            "others lack nothing, and those that wait are of its own kind.",
        ),
    ] = 0.5
    one_core_enter: Annotated[float, Why("share of a core", "Full but for moments.")] = 0.95
    one_core_leave: Annotated[float, Why("share of a core", "Hysteresis, as above.")] = 0.85
    one_core_mean: Annotated[float, Why("share of a core", "Full in the mean, not in moments.")] = 0.92
    one_core_others: Annotated[
        float, Why("share of a core", "The next busiest core has time to give; else it is not about one core.")
    ] = 0.8
    one_core_sustained_s: Annotated[float, Why("s", "Any program has a core to itself for some seconds.")] = 60.0
    one_core_ticks: Annotated[
        int, Why("ticks", "Work that wanders fills one core of two by chance for a few of them.")
    ] = 6
    one_core_share: Annotated[
        float, Why("share of the recording", "In a short recording less is a real part of it.")
    ] = 0.25
    interrupts_enter: Annotated[float, Why("share of a core", "Most of the core goes to devices.")] = 0.6
    interrupts_leave: Annotated[float, Why("share of a core", "Hysteresis, as above.")] = 0.45
    interrupts_others_share: Annotated[
        float, Why("share of that core's", "What all cores do alike is not one core's trouble.")
    ] = 0.4
    interrupts_sustained_s: Annotated[float, Why("s", "A burst of packets passes.")] = 10.0
    steal_enter: Annotated[
        float,
        Why("share of cores", "Neighbours take some per cent from every guest now and then; this is a real part."),
    ] = 0.15
    steal_leave: Annotated[float, Why("share of cores", "Hysteresis, as above.")] = 0.08
    steal_busy_share: Annotated[float, Why("share of cores", "Without work of our own nothing is taken from us.")] = 0.1
    steal_of_busy: Annotated[float, Why("share of busy time", "Enough for our work to feel it.")] = 0.25
    steal_merge_s: Annotated[float, Why("s", "Neighbours come and go within seconds.")] = 30.0
    steal_sustained_s: Annotated[float, Why("s", "Every guest waits for some seconds now and then.")] = 30.0
    quota_enter: Annotated[float, Why("share of periods", "Held back in every other period.")] = 0.5
    quota_leave: Annotated[float, Why("share of periods", "Hysteresis, as above.")] = 0.25
    quota_busy_most: Annotated[float, Why("share of cores", "Idle cores are there.")] = 0.8
    quota_hottest_most: Annotated[
        float,
        Why(
            "share of a core", "A full core explains waiting tasks by itself; without counts of a quota it must not be."
        ),
    ] = 0.85
    quota_sustained_s: Annotated[float, Why("s", "A short burst into a limit is what limits are for.")] = 15.0
    churn_kernel_share: Annotated[float, Why("share of cores", "A real part of the machine.")] = 0.25
    churn_of_busy: Annotated[float, Why("share of busy time", "The kernel, more than the programs' own work.")] = 0.45
    churn_switch_s: Annotated[float, Why("s", "What a switch costs the kernel, at least.")] = 3e-6
    churn_fork_s: Annotated[float, Why("s", "What a new task costs the kernel, about.")] = 1e-3
    churn_explains: Annotated[
        float, Why("share of the kernel's time", "Switching and starting is a great part of what the kernel does.")
    ] = 0.4
    churn_explains_leave: Annotated[float, Why("share of the kernel's time", "Hysteresis, as above.")] = 0.25
    churn_switches_a_request: Annotated[
        float,
        Why(
            "switches",
            "Each request to a disk wakes the task that requested it, and mostly a kernel thread or two on its way.",
        ),
    ] = 5.0
    churn_sustained_s: Annotated[float, Why("s", "A build or a login starts many processes for a moment.")] = 15.0
    packet_cost_s: Annotated[float, Why("s", "What a packet costs the kernel, on its way in or out, about.")] = 2e-6
    packets_kernel_share: Annotated[float, Why("share of cores", "A great part of the machine.")] = 0.4
    packets_soft_share: Annotated[
        float, Why("share of cores", "Of a flood, soft interrupts and the programs' calls are both a real part.")
    ] = 0.08
    packets_explain: Annotated[
        float, Why("share of the kernel's time", "Packets are a great part of what the kernel does.")
    ] = 0.25
    packets_one_core: Annotated[float, Why("share of soft interrupts", "Nearly all of them on one core.")] = 0.75
    packets_sustained_s: Annotated[float, Why("s", "A burst passes.")] = 15.0
    thermal_merge_s: Annotated[float, Why("s", "Heat comes in waves; so does throttling.")] = 60.0
    thermal_sustained_s: Annotated[float, Why("s", "Once is a moment's heat.")] = 15.0
    memory_scarce_share: Annotated[
        float, Why("share of all memory", "With more than a tenth available no task waits for the machine's memory.")
    ] = 0.12
    memory_stall_enter: Annotated[
        float,
        Why("share of time", "Streaming big files costs a healthy machine far less; a task that lacks memory, more."),
    ] = 0.1
    memory_stall_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.05
    memory_faults_per_s: Annotated[
        float,
        Why("major faults/s", "Without stall totals: so many reads from disk, each of some 10 ms, fill all the time."),
    ] = 100.0
    memory_free_share: Annotated[float, Why("share of all memory", "What looks alarming to those who watch free.")] = (
        0.05
    )
    memory_ample_share: Annotated[float, Why("share of all memory", "Plenty can still be had.")] = 0.25
    swap_in_enter: Annotated[
        float, Why("bytes/s", "A quarter MiB/s is 64 pages: steady reading back, not a page now and then.")
    ] = 256.0 * 2**10
    swap_in_leave: Annotated[float, Why("bytes/s", "Hysteresis, as above.")] = 64.0 * 2**10
    swap_faults_per_s: Annotated[
        float, Why("major faults/s", "Read back because a task waits for it, not ahead of need.")
    ] = 5.0
    swap_occupied_share: Annotated[float, Why("share of swap", "Enough to catch the eye.")] = 0.2
    leak_share: Annotated[float, Why("share of all memory", "Less is within what programs do all day.")] = 0.015
    leak_fall_share: Annotated[
        float, Why("share of the least growth", "Programs that end give back at once; so does a kill.")
    ] = 0.6
    leak_rising: Annotated[
        float, Why("Kendall's tau", "Nearly every later reading is higher than nearly every earlier one.")
    ] = 0.85
    leak_significance: Annotated[float, Why("standard deviations", "No chance among thousands of stretches.")] = 6.0
    leak_few_ticks: Annotated[
        int, Why("ticks", "Of few readings none but a perfect order is no chance: eight in order are one in 40,320.")
    ] = 8
    leak_short_s: Annotated[
        float, Why("s", "Programs fill their memory when they start; that takes less than this.")
    ] = 40.0
    leak_long_s: Annotated[float, Why("s", "Shorter growth is reported with less confidence.")] = 600.0
    leak_straight: Annotated[
        float,
        Why(
            "share of the growth",
            "How far short growth strays from a straight line: a leak hardly does, a program at work grows in bouts.",
        ),
    ] = 0.03
    leak_least_third: Annotated[
        float,
        Why(
            "share of the growth",
            "What fills once and stays has none in its last third; steady growth has a third in each.",
        ),
    ] = 0.15
    refaults_per_s: Annotated[float, Why("pages/s", "Some hundred KiB a second: steady, not now and then.")] = 100.0
    refaults_share: Annotated[
        float, Why("share of what is read", "A real part of all reading would not be needed.")
    ] = 0.3
    thrash_stall_enter: Annotated[float, Why("share of time", "Streaming costs a healthy machine none of it.")] = 0.1
    thrash_stall_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.05
    thrash_sustained_s: Annotated[float, Why("s", "A program that starts reads back what it needs within seconds.")] = (
        15.0
    )
    thrash_merge_s: Annotated[
        float, Why("s", "A shortage that has just begun shows when there is much to do, and hides in between.")
    ] = 1_800.0
    swap_full_enter: Annotated[float, Why("share of swap", "Full but for crumbs.")] = 0.97
    swap_full_leave: Annotated[float, Why("share of swap", "Hysteresis, as above.")] = 0.93
    swap_full_available: Annotated[float, Why("share of all memory", "With more left no swap is needed.")] = 0.15
    swap_full_sustained_s: Annotated[float, Why("s", "A moment's peak passes.")] = 15.0
    cache_window_s: Annotated[float, Why("s", "Over how long growth of the cache is looked at.")] = 30.0
    cache_growth_share: Annotated[
        float, Why("share of all memory", "Fast enough to catch the eye of those who watch free.")
    ] = 0.02
    fs_free_share: Annotated[
        float, Why("share of the filesystem", "Hardly any room; where it fills, the end is near.")
    ] = 0.1
    fs_least_bytes: Annotated[float, Why("bytes", "Smaller ones hold settings of the firmware and the like.")] = (
        16.0 * 2**20
    )
    fs_growth_share: Annotated[
        float, Why("share of the filesystem", "Less growth tells nothing of when it is full.")
    ] = 0.01
    fs_soon_s: Annotated[float, Why("s", "Within a day it should be known.")] = 86_400.0
    kill_merge_s: Annotated[float, Why("s", "Kills of one shortage follow each other within seconds.")] = 60.0
    io_stall_enter: Annotated[
        float, Why("share of time", "Waits that cost no task any time are not worth a finding.")
    ] = 0.1
    io_blame_slack_s: Annotated[
        float, Why("s", "Around a disk's own finding its waits rise and fall; that is no second trouble.")
    ] = 10.0
    io_limited_enter: Annotated[float, Why("share of time", "Tasks do hardly anything but wait.")] = 0.5
    io_limited_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.3
    io_limited_disk_busy: Annotated[
        float, Why("share of time", "A disk that makes tasks wait half of the time is at work as long.")
    ] = 0.25
    io_limited_queue_share: Annotated[
        float,
        Why("requests in flight per share of time lost", "By Little's law those who wait at a disk are in its queue."),
    ] = 0.4
    io_limited_tasks: Annotated[
        float,
        Why("tasks", "So many beyond those that have a request in flight, over a minute, are no error of counting."),
    ] = 1.0
    io_limited_blocked: Annotated[
        float, Why("tasks", "Without stall totals: one may be a program that reads; of two for long none is.")
    ] = 1.8
    io_limited_disk_busy_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.4
    io_stalled_times: Annotated[float, Why("times its normal", "More than always, and less than a slow disk.")] = 2.0
    io_stalled_tasks: Annotated[float, Why("tasks", "More than the one whose work it is to stream a disk.")] = 2.0
    io_sustained_s: Annotated[float, Why("s", "A flush or a start makes tasks wait for some seconds.")] = 20.0
    blocked_tasks: Annotated[float, Why("tasks", "One may be a counting error of a damped count.")] = 2.0
    blocked_share: Annotated[
        float, Why("share of running tasks", "Running tasks are counted once a tick; of many, some are missed.")
    ] = 0.5
    blocked_crowded_times: Annotated[
        float, Why("times the running tasks", "While no core is idle the number of running tasks is not sure.")
    ] = 2.0
    blocked_of_load: Annotated[
        float, Why("share of the load", "Waiting tasks are a real part of what the load counts.")
    ] = 0.4
    blocked_window_s: Annotated[
        float, Why("s", "The kernel counts for its load every five seconds; of six of those chance is little.")
    ] = 30.0
    blocked_window_ticks: Annotated[
        int, Why("ticks", "Blocked and running tasks are counted once a tick, by chance.")
    ] = 3
    blocked_sustained_s: Annotated[float, Why("s", "Hanging for a moment is what locks are for.")] = 20.0
    iowait_share: Annotated[float, Why("share of cores", "Enough to catch the eye.")] = 0.15
    load_idle_share: Annotated[float, Why("share of cores", "A fifth of the machine or more had nothing to do.")] = 0.8
    load_sustained_s: Annotated[float, Why("s", "The load of a minute needs a minute to mean anything.")] = 60.0
    net_errors_per_s: Annotated[
        float, Why("packets/s", "A healthy line has none in a day; one every two seconds is no chance.")
    ] = 0.5
    listen_overflows_per_s: Annotated[float, Why("connections/s", "Each is a client that was turned away.")] = 0.5
    udp_errors_per_s: Annotated[
        float, Why("datagrams/s", "Now and then one is lost by design; not several a second.")
    ] = 2.0
    backlog_drops_per_s: Annotated[float, Why("packets/s", "A healthy machine drops none here.")] = 1.0
    counted_merge_s: Annotated[float, Why("s", "What is counted comes in bursts.")] = 60.0
    disk_active_per_s: Annotated[float, Why("requests/s", "Fewer tell nothing of a disk's pace.")] = 2.0
    disk_normal_ticks: Annotated[int, Why("ticks", "So many are needed to know a disk's normal.")] = 30
    disk_normal_s: Annotated[float, Why("s", "Where ticks are far apart: as long, with requests enough.")] = 15.0
    disk_normal_least_ticks: Annotated[int, Why("ticks", "The same: of one or two none is usual.")] = 3
    disk_normal_requests: Annotated[float, Why("requests", "The same: a mean of fewer says little.")] = 60.0
    disk_light_busy: Annotated[
        float, Why("share of time", "With more to do than that, what it takes is not what it takes unloaded.")
    ] = 0.8
    disk_several_queue: Annotated[
        float, Why("requests", "Two programs that wait for a request each, or one that hands in the next at once.")
    ] = 1.7
    disk_small_request_bytes: Annotated[
        float, Why("bytes", "A larger one may take its milliseconds for the bytes alone.")
    ] = 65_536.0
    disk_small_wait_s: Annotated[
        float, Why("s", "As long as a turning disk takes to find its place, and far more than any other unloaded.")
    ] = 0.005
    io_waiting_enter: Annotated[float, Why("share of time", "Tasks hardly do anything else.")] = 0.4
    io_waiting_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.25
    disk_normal_quantile: Annotated[
        float, Why("share of active ticks", "A disk's normal is its wait while little queues: a low percentile.")
    ] = 0.2
    disk_shallow_queue: Annotated[float, Why("requests", "With hardly more than one in flight nothing queues.")] = 1.5
    disk_wait_times: Annotated[float, Why("times its normal", "Beyond what a busy hour does to a healthy disk.")] = 4.0
    disk_wait_times_leave: Annotated[float, Why("times its normal", "Hysteresis, as above.")] = 2.5
    disk_wait_steady_times: Annotated[float, Why("times its normal", "As always, within the noise.")] = 2.0
    disk_least_wait_s: Annotated[float, Why("s", "Four times almost nothing is still almost nothing.")] = 0.01
    disk_queued_wait_times: Annotated[
        float, Why("times its normal", "With a very deep queue; larger requests alone do not take so much longer.")
    ] = 15.0
    disk_deep_queue: Annotated[float, Why("requests", "More than a few tasks' single requests.")] = 4.0
    disk_very_deep_queue: Annotated[
        float, Why("requests", "So many at once are by design; what they wait is the price of the depth.")
    ] = 8.0
    disk_busy_enter: Annotated[float, Why("share of time", "Hardly ever without a request.")] = 0.9
    disk_busy_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.75
    disk_sustained_s: Annotated[float, Why("s", "A cache that is flushed makes requests wait for some seconds.")] = 20.0
    disk_plateau_share: Annotated[
        float,
        Why(
            "share of the requests it served at its normal pace",
            "A saturated disk serves as many as it can; a slow one far fewer.",
        ),
    ] = 0.6
    disk_service_times: Annotated[
        float,
        Why("times its normal", "A disk that needs so much longer for one request of the same size is slow by itself."),
    ] = 3.0
    hot_equals: Annotated[int, Why("disks", "Of two, one is always above the middle.")] = 3
    hot_times: Annotated[float, Why("times the others'", "Beyond what chance spreads.")] = 4.0
    hot_queue: Annotated[float, Why("requests", "A disk that hardly queues is not hot.")] = 1.5
    hot_sustained_s: Annotated[float, Why("s", "A file that lies on one disk is read in less.")] = 60.0
    writeback_write_share: Annotated[float, Why("share of bytes", "Nearly all of what the disk does.")] = 0.8
    writeback_owed_share: Annotated[
        float, Why("share of all memory", "Near where the kernel begins to hold up writers.")
    ] = 0.04
    writeback_owed_bytes: Annotated[
        float, Why("bytes", "On large machines less than that share takes long to write.")
    ] = 2.0 * 2**30
    writeback_under_way_bytes: Annotated[float, Why("bytes", "Being written at this moment.")] = 8.0 * 2**20
    writeback_sustained_s: Annotated[float, Why("s", "A flush of some seconds is how it should be.")] = 20.0
    gap_ticks: Annotated[float, Why("ticks", "One that came late is no gap worth telling.")] = 3.0
    spike_s: Annotated[float, Why("s", "Shorter is a moment's work, in a long recording.")] = 30.0
    spike_share: Annotated[
        float, Why("share of the recording", "In a short recording some seconds are a real part of it.")
    ] = 0.01
    join_pause_s: Annotated[
        float, Why("s", "Trouble near a threshold goes on and off; a pause of two minutes does not make two of it.")
    ] = 120.0
    join_pause_share: Annotated[
        float, Why("share of the recording", "In a short recording less parts two troubles.")
    ] = 0.03
    join_pause_ticks: Annotated[float, Why("ticks", "The same, where ticks are far apart.")] = 6.0
    periodic_times: Annotated[int, Why("times", "Three may come at a steady distance by chance.")] = 4
    periodic_stray: Annotated[float, Why("share of the period", "Timers and loads vary by so much.")] = 0.12
    periodic_share: Annotated[float, Why("share of the distances", "One or two may be missing or odd.")] = 0.75
    link_full_enter: Annotated[float, Why("share of the link's speed", "The rest goes to frames' own overhead.")] = 0.9
    link_full_leave: Annotated[float, Why("share of the link's speed", "Hysteresis, as above.")] = 0.8
    link_merge_s: Annotated[
        float, Why("s", "Traffic comes in waves; a pause of a minute does not make two of one.")
    ] = 60.0
    link_sustained_s: Annotated[float, Why("s", "A copy of some seconds at full speed is what links are for.")] = 30.0
    plateau_spread: Annotated[
        float,
        Why("share of the rate", "Shaping holds a rate within a few per cent; traffic by itself goes up and down."),
    ] = 0.03
    plateau_ticks: Annotated[
        int, Why("ticks", "Fewer are too few to call flat; each is itself the mean over its interval.")
    ] = 6
    plateau_bytes_per_s: Annotated[float, Why("bytes/s", "Slower than any line of today.")] = 500_000.0
    plateau_below: Annotated[float, Why("share of the highest rate", "Clearly less than the flat top.")] = 0.7
    plateau_elsewhere: Annotated[
        float, Why("share of the recording", "A stream that never changes tells nothing of what the link can do.")
    ] = 0.1
    loss_enter: Annotated[
        float,
        Why("share of segments", "A healthy local network loses hardly any; one in a hundred cuts speed by halves."),
    ] = 0.01
    loss_leave: Annotated[float, Why("share of segments", "Hysteresis, as above.")] = 0.005
    loss_merge_s: Annotated[
        float, Why("s", "A sender that loses segments slows down, so that loss comes in waves of a minute or two.")
    ] = 180.0
    loss_segments_per_s: Annotated[float, Why("segments/s", "On a quiet line one lost segment says little.")] = 5.0
    loss_window_s: Annotated[float, Why("s", "Of a few segments a second, some seconds' worth make a share.")] = 10.0
    loss_least: Annotated[float, Why("segments", "Fewer in all may be chance.")] = 10.0
    chain_slack_s: Annotated[float, Why("s", "Two sides of one shortage show within so long of each other.")] = 120.0
    chain_swap_share: Annotated[
        float, Why("share of a disk's bytes", "Swap is what keeps it busy, not a part of it.")
    ] = 0.5
    look_alike_merge_s: Annotated[
        float, Why("s", "What only looks like a problem is reported once, not again after each pause.")
    ] = 3_600.0
    look_alike_s: Annotated[
        float, Why("s", "What only looks like a problem is reported where it goes on for minutes.")
    ] = 300.0
    sustained_s: Annotated[float, Why("s", "Shorter is a moment's work, such as a program starting.")] = 5.0
    sustained_ticks: Annotated[
        int, Why("ticks", "So that one or two odd readings at a long interval are not taken for a stretch.")
    ] = 4
    merge_break_s: Annotated[float, Why("s", "A pause of a few seconds does not make two findings of one job.")] = 5.0
    onset_search_ticks: Annotated[
        int, Why("ticks", "How far around the threshold the change itself is looked for.")
    ] = 8


def described() -> list[tuple[str, float, Why]]:
    """Name, default and reason of every parameter, for the docs."""
    hints = get_type_hints(Parameters, include_extras=True)
    defaults = Parameters()
    return [(entry.name, getattr(defaults, entry.name), get_args(hints[entry.name])[1]) for entry in fields(Parameters)]
