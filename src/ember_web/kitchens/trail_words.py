"""What the trail calls each action; a test holds that none is left out."""

from __future__ import annotations

from ember_core.wording.message import N_

ACTION_WORDS = {
    "add_book_row": N_("changed a row of the book"),
    "add_equipment": N_("changed gear"),
    "add_probe": N_("changed a probe"),
    "admit_member": N_("admitted, or changed the role of"),
    "archive_plans": N_("archived or restored plans"),
    "carry_clock_over_restart": N_("set the clock after a restart"),
    "change_note": N_("changed a note"),
    "change_password": N_("changed their own password"),
    "fill_summaries": N_("worked out plans of the list"),
    "follow_machine_clock": N_("set the clock to the machine's"),
    "import_book": N_("imported a book"),
    "issue_hub_token": N_("made a token for a hub"),
    "issue_password_link": N_("made a password link for"),
    "keep_draft": N_("kept a draft"),
    "open_kitchen": N_("opened the kitchen"),
    "remove_food": N_("removed a food"),
    "remove_member": N_("removed"),
    "restore_plan": N_("restored an earlier plan"),
    "save_plan": N_("saved a plan"),
    "set_clock": N_("changed how fast the clock runs"),
    "set_fault": N_("changed a simulated fault"),
    "set_kitchen": N_("changed the kitchen"),
    "set_kitchen_time": N_("set the clock"),
    "set_preferences": N_("changed language or units"),
    "set_service": N_("changed a service"),
    "set_station": N_("changed a station"),
    "set_toured": N_("saw the tour"),
    "start_cook": N_("started a cook"),
    "store_food": N_("changed a food"),
    "store_house_rules": N_("changed the house rules"),
    "tag_plans": N_("tagged plans"),
    "take_events": N_("marked on the line"),
    "take_readings": N_("handed in readings"),
    "unlock_member": N_("unlocked the sign-in of"),
    "use_password_link": N_("set a new password by link"),
    "write_record": N_("wrote a record"),
}
