int first_program_placeholder = 0;
