-- What a shape or an item moves with is said in `attached_to`; documents, and the patches that undo and redo them, follow.
update project set document = jsonb_set(replace(document::text, '"rides_on":', '"attached_to":')::jsonb, '{cravo}', '2');
update work_document set document = jsonb_set(replace(document::text, '"rides_on":', '"attached_to":')::jsonb, '{cravo}', '2');
update recipe set recipe = replace(recipe::text, '"rides_on":', '"attached_to":')::jsonb;
update edit set
  patch = replace(replace(replace(patch::text, '"rides_on":', '"attached_to":'), '/rides_on"', '/attached_to"'), '/rides_on/', '/attached_to/')::jsonb,
  inverse = replace(replace(replace(inverse::text, '"rides_on":', '"attached_to":'), '/rides_on"', '/attached_to"'), '/rides_on/', '/attached_to/')::jsonb;
