"""Keywords of a GSD that say one thing each. Source: IEC 61158-6-3, GSD specification revisions 1 to 5."""

from __future__ import annotations

# Baud rates by the middle of their keywords, `9.6_supp` and `MaxTsdr_9.6`.
BAUD_RATES: dict[str, int] = {
    "9.6": 9600,
    "19.2": 19200,
    "31.25": 31250,
    "45.45": 45450,
    "93.75": 93750,
    "187.5": 187500,
    "500": 500_000,
    "1.5m": 1_500_000,
    "3m": 3_000_000,
    "6m": 6_000_000,
    "12m": 12_000_000,
}

# Known keywords that are kept as facts of the device, by their value's kind.
TEXTS = frozenset(
    """vendor_name model_name revision hardware_release software_release info_text implementation_type
    slave_family bitmap_device bitmap_diag bitmap_sf ordernumber order_number orderno download_file""".split()
)
NUMBERS = frozenset(
    """gsd_revision revision_number ident_number protocol_ident station_type fms_supp redundancy
    repeater_ctrl_sig 24v_pins freeze_mode_supp sync_mode_supp auto_baud_supp set_slave_add_supp user_prm_data_len
    min_slave_intervall modular_station max_module max_input_len max_output_len max_data_len modul_offset
    fail_safe max_diag_data_len max_user_prm_data_len diag_update_delay fail_safe_required
    prm_block_structure_supp prm_block_structure_req jokerblock_supp jokerblock_slot jokerblock_location
    dpv1_slave c1_read_write_supp c1_read_write_required c1_max_data_len c1_response_timeout
    c2_read_write_supp c2_read_write_required c2_max_data_len c2_response_timeout c2_max_count_channels
    max_initiate_pdu_length diagnostic_alarm_supp process_alarm_supp pull_plug_alarm_supp status_alarm_supp
    update_alarm_supp manufacturer_specific_alarm_supp extra_alarm_sap_supp alarm_sequence_mode_count
    alarm_type_mode_supp diagnostic_alarm_required process_alarm_required pull_plug_alarm_required
    status_alarm_required update_alarm_required manufacturer_specific_alarm_required ident_maintenance_supp
    im_1_supp im_2_supp im_3_supp im_4_supp wd_base_1ms_supp check_cfg_mode publisher_supp isochron_mode_supp
    isochron_mode_required tbase_dp tdp_min tdp_max t_pll_w_max tbase_io ti_min to_min dpv1_data_types
    max_tsdr subscriber_supp dxb_max_link_count dxb_max_data_length dxb_subscribertable_block_location
    user_prm_data_structure_version f_io_structuredescriptorcrc f_paramdescriptorcrc max_iparameter_size
    f_io_structuredesccrc f_io_structuredescversion f_paramdesccrc f_supp x_max_user_prm_data_len
    x_prm_block_structure_supp x_ext_module_prm_data_len slave_redundancy_supp max_switch_over_time
    output_hold_time time_sync_supp time_stamp_supp primary_secondary_supp
    identifier_length module_count max_module_count extra_jokerblock use_iparameter""".split()
)
LISTS = frozenset("""user_prm_data diag_data x_prm_data physical_interface_list""".split())
