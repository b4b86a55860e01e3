-- What an agent is asked for is a task, and what stands in it a command.
alter table device rename column takes_orders to takes_tasks;
alter table device_task rename column order_text to command;

-- Facts that agents of before told under other names; they tell them again only when something changes.
update device_fact set value =
  (value - 'takesOrders' - 'mends')
  || case when value ? 'takesOrders' then jsonb_build_object('takesTasks', value -> 'takesOrders') else '{}'::jsonb end
  || case when value ? 'mends' then jsonb_build_object('remediates', value -> 'mends') else '{}'::jsonb end
where subject = 'system' and value ?| array['takesOrders', 'mends'];

-- Whom a standing rule notifies.
update standing_rule set definition = (definition - 'tell') || jsonb_build_object('notify', definition -> 'tell')
where definition ? 'tell';
